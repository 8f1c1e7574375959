"""One index for people: for each site, day and kind of thing, the set of visitors to whom it happened."""
