"""Sets on record held against what the probes saw of them."""
