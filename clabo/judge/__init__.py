"""What is judged: reports, paths, split tests, saved views, decisions."""
