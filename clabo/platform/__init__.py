"""What every other room stands on: accounts, jobs, files out, words, the database, settings."""
