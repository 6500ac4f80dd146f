"""Water of a block's root zone from what its sensors read."""
