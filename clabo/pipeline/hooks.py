"""What apps add to the pipeline, in their `AppConfig.ready()`."""

from __future__ import annotations

from collections.abc import Callable

from clabo.events.storing import StoredBatch
from clabo.registry import Registry

# Run in the batch's transaction after its events are stored. What one cannot do is owed (owing.py).
after_batch: Registry[Callable[[StoredBatch], None]] = Registry("pipeline hook", ("batch",))
