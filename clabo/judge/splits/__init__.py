"""Split tests: who sees which variant, and what came of it."""
