"""The plan: advised sets laid on the farm's supplies."""
