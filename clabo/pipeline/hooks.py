"""What apps add to the pipeline and to the worker, in their `AppConfig.ready()`."""

from __future__ import annotations

from collections.abc import Callable

from clabo.events.storing import StoredBatch
from clabo.registry import Registry

# Run in the batch's transaction after its events are stored. What one cannot do is owed (owing.py).
after_batch: Registry[Callable[[StoredBatch], None]] = Registry("pipeline hook", ("batch",))
# Run by the worker between batches; each returns whether there was anything to do.
chores: Registry[Callable[[], bool]] = Registry("worker's chore", ())
