"""From an approved set to what really ran: states, commands, evidence, measured flow."""
