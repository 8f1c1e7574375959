"""Addresses: the API, sign-in, and the interface for everything else."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import include, path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from clabo.config.api import api


@ensure_csrf_cookie
def interface(request: HttpRequest) -> HttpResponse:
    """The single page that the interface runs in."""
    response = HttpResponse(settings.CLABO_APP_HTML.read_bytes())
    response["cache-control"] = "no-cache"
    return response


urlpatterns = [
    path("api/", api.urls),
    path("_allauth/", include("allauth.headless.urls")),
    path("accounts/", include("allauth.urls")),
    re_path(r"^(?!api/|static/|_allauth/).*$", interface),
]
