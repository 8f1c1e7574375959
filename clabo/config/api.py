"""The HTTP API, put together from the apps'. Its OpenAPI document is at /api/openapi.json."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI, Schema
from ninja.errors import AuthenticationError, ValidationError
from ninja.openapi.schema import OpenAPISchema
from ninja.security import django_auth

from clabo.accounts.api import router as accounts
from clabo.accounts.problems import Problem
from clabo.collect.api import router as collect
from clabo.collect.bridge_api import router as bridge_links
from clabo.conversions.api import router as conversions
from clabo.conversions.live_api import router as live
from clabo.conversions.rehearsal_api import router as rehearsals
from clabo.reports.api import router as reports
from clabo.reports.today_api import router as today
from clabo.sites.api import router as sites
from clabo.spend.api import router as spend
from clabo.splits.api import router as splits


class ProblemOut(Schema):
    """Every error's body (RFC 9457): what is wrong and what to do, and which field it is about."""

    title: str
    status: int
    detail: str
    field: str = ""


class DescribedApi(NinjaAPI):
    """Ninja's, whose description also says what an error looks like, on every route."""

    def get_openapi_schema(self, *args: Any, **kwargs: Any) -> OpenAPISchema:
        schema = super().get_openapi_schema(*args, **kwargs)
        schema["components"]["schemas"]["Problem"] = ProblemOut.model_json_schema()
        body = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
        for methods in schema["paths"].values():
            for operation in methods.values():
                operation["responses"]["4XX"] = {
                    "description": "What is wrong, and the remedy",
                    "content": body,
                }
        return schema


api = DescribedApi(title="Clabo", version="1", auth=django_auth, docs_url="/docs")
for each in (
    accounts,
    sites,
    collect,
    bridge_links,
    conversions,
    live,
    rehearsals,
    spend,
    splits,
    reports,
    today,
):
    api.add_router("", each)


def _answer(request: HttpRequest, status: int, detail: str, field: str = "") -> HttpResponse:
    titles = {401: "Sign in", 403: "Not allowed", 404: "Not found", 409: "Not possible now"}
    body = ProblemOut(
        title=titles.get(status, "Please correct this"), status=status, detail=detail, field=field
    )
    response = api.create_response(request, body.dict(), status=status)
    response["content-type"] = "application/problem+json"
    return response


@api.exception_handler(Problem)
def problem(request: HttpRequest, error: Problem) -> HttpResponse:
    return _answer(request, error.status, error.detail, error.field)


@api.exception_handler(AuthenticationError)
def not_signed_in(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
    return _answer(request, 401, "Sign in to see this.")


@api.exception_handler(ValidationError)
def invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    first = error.errors[0]
    # The location begins with where it was looked for and the name of the body's argument.
    path = [
        str(p) for p in first["loc"] if p not in ("body", "query", "path", "file", "form", "data", "words")
    ]
    return _answer(request, 422, f"{first['msg']}.", ".".join(path))
