"""What tests of several apps share."""
