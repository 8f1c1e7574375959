"""How channels are spoken with."""
