"""What counts as a conversion, how often it happened, and which visits it is credited to."""
