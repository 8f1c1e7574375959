"""The server: the collector in front, the live stream behind it, and Django behind both."""

import os
import warnings
from typing import cast

from django.core.asgi import get_asgi_application

# WhiteNoise hands its files over as synchronous iterators; Django reads them whole, and they are small.
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "clabo.config.settings")
django_application = get_asgi_application()

from clabo.collect.asgi import Asgi, Collector  # noqa: E402  (needs Django's apps to be loaded)
from clabo.conversions.stream import Stream  # noqa: E402


def assembled() -> Asgi:
    """The collector, the live stream, and Django, one behind the other."""
    return Collector(behind=Stream(behind=cast(Asgi, django_application)))


application = assembled()
