"""Clabo: landing pages, conversions, spend and split tests for performance marketers."""
