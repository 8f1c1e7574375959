"""Rules held against what was recorded."""
