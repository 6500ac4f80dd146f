"""What people are told by mail: the morning letter and alerts."""
