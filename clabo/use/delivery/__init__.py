"""Audiences and conversions out to where ads run, and what they cost back."""
