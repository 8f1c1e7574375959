"""How often what Clabo says is wrong, by simulation."""
