"""Every refusal in one form: problem+json (RFC 9457) for the API, a plain page for a person."""

from __future__ import annotations

import sys
from collections.abc import Callable
from typing import Any

from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.request import RawPostDataException
from ninja.errors import HttpError
from ninja.parser import Parser

from clabo.platform.bodies import read_json

TITLES = {
    503: "Not possible now",
    400: "Bad request",
    401: "Sign in",
    403: "Not allowed",
    404: "Not found",
    409: "Not possible now",
}
_API = ("/api/", "/_allauth/")


def problem_response(status: int, detail: str, field: str = "") -> HttpResponse:
    """The body of an error: what is wrong and what to do, and which field it is about."""
    return JsonResponse(
        {
            "type": "about:blank",
            "title": TITLES.get(status, "Please correct this" if status < 500 else "Something went wrong"),
            "status": status,
            "detail": detail,
            "field": field,
        },
        status=status,
        content_type="application/problem+json",
    )


def _answer(request: HttpRequest, status: int, detail: str) -> HttpResponse:
    if request.path.startswith(_API):
        return problem_response(status, detail)
    return HttpResponse(f"{detail}\n", status=status, content_type="text/plain; charset=utf-8")


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return _answer(request, 404, "There is nothing at this address.")


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return _answer(request, 400, "This request cannot be read.")


def forbidden(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return _answer(request, 403, "This is not allowed.")


def failed(request: HttpRequest) -> HttpResponse:
    if isinstance(sys.exc_info()[1], InterfaceError | OperationalError):
        return _answer(request, 503, "The database is away. Nothing is lost; try again in a minute.")
    return _answer(
        request, 500, "Something went wrong on the server. It has been noted; try again in a minute."
    )


def csrf_failed(request: HttpRequest, reason: str = "") -> HttpResponse:
    return _answer(
        request, 403, "The page has grown old, or this came from another site. Reload it and try again."
    )


class Private:
    """What is told to one person is kept by no cache on the way, and by no browser; unless a view says otherwise."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if not response.has_header("cache-control"):
            response["cache-control"] = "no-store"
        return response


class ReadableOnly:
    """Refuses a NUL, which no table can hold, in addresses and bodies, before anything looks at them."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if "\x00" in request.path or "%00" in request.META.get("QUERY_STRING", ""):
            return problem_response(400, "An address cannot contain NUL.")
        if request.content_type == "application/json" and b"\\u0000" in request.body:
            return problem_response(422, "No text may contain NUL.")
        return self.get_response(request)


class StrictParser(Parser):
    """JSON in UTF-8 without lone surrogates, nested no deeper than can be followed."""

    def parse_body(self, request: HttpRequest) -> Any:
        try:
            return read_json(request.body)
        except RawPostDataException:
            # Sent as a form: it has been read as one.
            raise HttpError(415, "Send JSON, with the content type application/json.") from None
        except ValueError as error:
            if "nested" in str(error):
                raise HttpError(422, f"The body is {error}.") from None
            raise
