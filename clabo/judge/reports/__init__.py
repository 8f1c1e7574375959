"""Reports: the lens and the landing page table."""
