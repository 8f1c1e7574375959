"""What it withstands, and what it rests on."""
