"""Landing pages: their addresses, visits, tags, and what stands out among them."""
