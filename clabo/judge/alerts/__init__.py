"""Telling somebody outside of Clabo that something is broken or decided: by mail or webhook."""
