"""Between the stations of a block."""
