"""What came of a test."""
