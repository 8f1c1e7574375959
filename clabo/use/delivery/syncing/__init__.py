"""What channels are told, and what they say."""
