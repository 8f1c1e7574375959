"""Who is in an audience."""
