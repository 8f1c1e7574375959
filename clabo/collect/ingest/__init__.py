"""From a hit to a stored event in a visit: collector, inbox, pipeline, live view."""
