"""What others do where a site's settings change, added in their `AppConfig.ready()`."""

from __future__ import annotations

from collections.abc import Callable

from clabo.platform.registry import Registry

# Called with a site's id in the transaction in which some of its settings begin to wait (Site.waiting).
settings_wait: Registry[Callable[[int], None]] = Registry("answer to settings that wait", ("site_id",))
