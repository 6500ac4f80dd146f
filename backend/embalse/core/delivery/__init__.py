"""What a system gives, and what a set comes to."""
