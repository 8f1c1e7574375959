"""Nothing to import: only tests that go through everything, in a real browser."""
