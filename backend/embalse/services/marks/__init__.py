"""Full, refill and wilting point with their evidence."""
