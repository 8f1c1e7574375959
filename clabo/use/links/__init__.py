"""Links of ads: built by naming rules, kept, and what came through each."""
