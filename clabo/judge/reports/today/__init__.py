"""Today: what asks for somebody."""
