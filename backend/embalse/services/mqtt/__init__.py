"""Readings and valve controllers through an MQTT broker."""
