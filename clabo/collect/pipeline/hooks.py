"""What apps add to the pipeline, in their `AppConfig.ready()`."""

from __future__ import annotations

from collections.abc import Callable

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.storage.storing import StoredBatch
from clabo.platform.registry import Registry

# Run in the batch's transaction after its events are stored. What one cannot do is owed (owing.py).
after_batch: Registry[Callable[[StoredBatch], None]] = Registry("pipeline hook", ("batch",))

# What else rests on how addresses are read, after a site's settings have changed and all its visits are stitched anew; in
# the same transaction, before `after_batch` is told of everybody.
after_rereading: Registry[Callable[[SiteReader], None]] = Registry("hook of rereading", ("reading",))
