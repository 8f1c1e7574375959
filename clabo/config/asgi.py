"""The server: the collector in front, Django behind it."""

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "clabo.config.settings")
django_application = get_asgi_application()

from clabo.collect.asgi import Collector  # noqa: E402  (needs Django's apps to be loaded)

application = Collector(behind=django_application)
