"""The made-up company Brackenhive: simulator, loader and live pages."""
