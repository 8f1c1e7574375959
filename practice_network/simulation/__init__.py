"""People, auctions and forecasts of the practice network."""
