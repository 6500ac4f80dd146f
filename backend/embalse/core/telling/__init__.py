"""When people are told what, by rules of their own."""
