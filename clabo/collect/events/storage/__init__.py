"""Events into visits and sums."""
