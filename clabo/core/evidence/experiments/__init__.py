"""Statistics of experiments that are looked at while they run."""
