"""Sites, their hosts and settings, and access to them."""
