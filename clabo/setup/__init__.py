"""What a site is set up with: sites, conversions and their rehearsals, the live list, monitoring."""
