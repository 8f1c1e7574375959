"""How long an example takes is the machine's business, and no test's: benchmarks have the timings."""

from __future__ import annotations

from hypothesis import settings

settings.register_profile("clabo", deadline=None)
settings.load_profile("clabo")
