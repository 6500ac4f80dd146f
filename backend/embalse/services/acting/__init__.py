"""Approved sets carried out and told: controllers, commands, evidence, last night."""
