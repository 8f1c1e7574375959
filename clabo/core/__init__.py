"""The computation. Pure Python with NumPy and SciPy: no Django, no input or output, no clock.

Every number here is defined in docs/definitions.md; docstrings cite its headings.
"""
