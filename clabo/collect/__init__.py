"""Taking hits in and keeping them: collector, pipeline, events, the index, bridge links, the kit, pictures."""
