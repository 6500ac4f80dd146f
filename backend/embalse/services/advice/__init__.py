"""The Round, the block, and each morning's answer."""
