"""Writing and looking at variants."""
