"""Work that nobody waits for: kept in the database, tried again, and shown to owners (procrastinate)."""
