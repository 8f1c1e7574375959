"""How fast it is."""
