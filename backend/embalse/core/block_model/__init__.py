"""One layered soil-water model of a block, fitted to its own probes."""
