"""The server: the doors, the collector behind them, the live stream, and Django behind all."""

import os
import warnings
from importlib import import_module
from threading import Thread
from typing import cast

from django.conf import settings
from django.core.asgi import get_asgi_application
from django.core.exceptions import ImproperlyConfigured
from django.urls import get_resolver

# WhiteNoise hands its files over as synchronous iterators; Django reads them whole, and they are small.
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "clabo.platform.config.settings")
django_application = get_asgi_application()
if settings.SECRET_KEY == settings.CLABO_NO_SECRET:
    raise ImproperlyConfigured(
        "CLABO_SECRET is not set: without it anybody could sign in as anybody. ./start sets it; elsewhere give it 50 or more random characters."
    )

from clabo.collect.ingest.asgi import Collector  # noqa: E402  (needs Django's apps to be loaded)
from clabo.collect.ingest.http import Answer, Asgi, Receive, Scope, Send  # noqa: E402
from clabo.platform.config.middleware import Bounds, Health, TrustedProxies  # noqa: E402
from clabo.platform.config.turns import Turns  # noqa: E402
from clabo.setup.live.stream import Stream  # noqa: E402


class Application:
    """Whoever comes in passes all of these; a hit goes straight to the collector where the server sees that it can."""

    def __init__(self) -> None:
        self.collector = Collector(behind=Stream(behind=Turns(cast(Asgi, django_application))))
        health = Health(self.collector, lambda: bool(self.collector.directory.loaded_at))
        self.doors = TrustedProxies(Bounds(health))

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "lifespan":
            Thread(target=_load_the_rest, daemon=True).start()
        await self.doors(scope, receive, send)

    def take_hit(self, key: str, scope: Scope, body: bytes, answer: Answer) -> bool:
        """See Collector.take_hit."""
        self.doors.look_through(scope)
        return self.collector.take_hit(key, scope, body, answer)


def _load_the_rest() -> None:
    """What hits do without and takes seconds to load; whoever opens the first page should not wait for it."""
    get_resolver().url_patterns  # noqa: B018  (read for what it loads)
    for name in ("scipy.special", "scipy.optimize", "scipy.stats"):
        import_module(name)


application = Application()
