"""What the ads cost: files in, rows joined to what Clabo saw."""
