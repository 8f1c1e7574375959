"""Clabo: landing pages, conversions, spend and split tests for performance marketers."""

import os

# Before NumPy is imported: matrices here are small, and threads that wait for each other cost more than they bring.
for _name in ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS"):
    os.environ.setdefault(_name, "1")
