"""The practice ad network: a simulation of an outside service, a process of its own that speaks HTTP only."""
