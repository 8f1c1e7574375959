"""Rules and their conditions in words."""
