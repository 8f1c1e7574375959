"""Split tests in words."""
