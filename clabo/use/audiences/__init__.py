"""Audiences: people described by what they did, counted while they are described."""
