"""What became of a lead or an order: its stages, the files that tell of them, and what is left of its value."""
