"""Split tests: who sees which variant of what, when, and what it changes."""
