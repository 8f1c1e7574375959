"""Who says what, whether it can be believed, and how much of it counts."""
