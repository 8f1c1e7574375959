"""Landing pages under a lens."""
