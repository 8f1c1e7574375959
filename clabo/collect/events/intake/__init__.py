"""What comes in: read, bounded, put in its place."""
