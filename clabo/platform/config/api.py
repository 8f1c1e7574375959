"""The HTTP API, put together from the apps'. Its OpenAPI document is at /api/openapi.json."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache, wraps
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from ninja.openapi.schema import OpenAPISchema
from ninja.security import SessionAuth

from clabo.collect.bridges.api import router as bridge_links
from clabo.collect.install.api import router as collect
from clabo.collect.pictures.api import router as pictures
from clabo.judge.alerts.api import router as alerts
from clabo.judge.attribution_reconciliation.api import router as ad_sides
from clabo.judge.columns.api import router as columns
from clabo.judge.notes.api import router as notes
from clabo.judge.paths.api import router as paths
from clabo.judge.paths.schemas import described as with_steps
from clabo.judge.reports.api import router as reports
from clabo.judge.reports.today.api import router as today
from clabo.judge.saved.api import router as saved
from clabo.judge.sources.api import router as sources
from clabo.judge.splits.api import router as splits
from clabo.judge.splits.editor.change_shape import described as with_changes
from clabo.platform.accounts.api import router as accounts
from clabo.platform.accounts.tokens import ByToken
from clabo.platform.config.errors import StrictParser, csrf_failed, problem_response
from clabo.platform.problems import Problem
from clabo.platform.shapes import Shape
from clabo.setup.conversions.api import router as conversions
from clabo.setup.conversions.matching.rule_shape import described
from clabo.setup.live.api import router as live
from clabo.setup.monitoring.api import router as exclusions
from clabo.setup.monitoring.jobs_api import router as jobs
from clabo.setup.rehearsals.api import router as rehearsals
from clabo.setup.sites.api import router as sites
from clabo.use.audiences.api import router as audiences
from clabo.use.audiences.definition_shape import described as with_definitions
from clabo.use.audiences.lists_api import router as lists
from clabo.use.delivery.api import router as channels
from clabo.use.links.api import router as ad_links
from clabo.use.outcomes.api import router as outcomes
from clabo.use.plans.api import router as plans
from clabo.use.spend.api import router as spend


class ProblemOut(Shape):
    """Every error's body (RFC 9457): what is wrong and what to do, and which field it is about."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    field: str = ""


class DescribedApi(NinjaAPI):
    """Ninja's, whose description also says what an error looks like, on every route. It is made once: that takes seconds."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._description = cache(self._describe)

    def get_openapi_schema(
        self, *, path_prefix: str | None = None, path_params: dict[str, Any] | None = None
    ) -> OpenAPISchema:
        return self._description(path_prefix)

    def _describe(self, path_prefix: str | None) -> OpenAPISchema:
        schema = super().get_openapi_schema(path_prefix=path_prefix)
        schema["components"]["schemas"]["Problem"] = ProblemOut.model_json_schema()
        body = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
        for methods in schema["paths"].values():
            for operation in methods.values():
                operation["responses"]["4XX"] = {
                    "description": "What is wrong, and the remedy",
                    "content": body,
                }
        described(schema)
        with_definitions(schema)
        with_steps(schema)
        with_changes(schema)
        return schema


class SignedIn(SessionAuth):
    """A signed-in person; whoever is nobody is told so, before anything is said of forgery."""

    def _get_key(self, request: HttpRequest) -> str | None:
        return super()._get_key(request) if request.user.is_authenticated else None


def for_members(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """The description is for whoever is signed in."""

    @wraps(view)
    def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not request.user.is_authenticated:
            return problem_response(401, "Sign in to see this.")
        return view(request, *args, **kwargs)

    return guarded


api = DescribedApi(
    title="Clabo",
    version="1",
    auth=[ByToken(), SignedIn()],
    docs_url="/docs",
    docs_decorator=for_members,
    parser=StrictParser(),
)
for each in (
    accounts,
    sites,
    collect,
    pictures,
    bridge_links,
    exclusions,
    jobs,
    conversions,
    live,
    rehearsals,
    spend,
    outcomes,
    alerts,
    audiences,
    lists,
    channels,
    ad_links,
    plans,
    paths,
    splits,
    reports,
    columns,
    notes,
    sources,
    ad_sides,
    saved,
    today,
):
    api.add_router("", each)


@api.exception_handler(Problem)
def problem(request: HttpRequest, error: Problem) -> HttpResponse:
    return problem_response(error.status, error.detail, error.field)


@api.exception_handler(AuthenticationError)
def not_signed_in(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
    return problem_response(401, "Sign in to see this.")


@api.exception_handler(HttpError)
def refused(request: HttpRequest, error: HttpError) -> HttpResponse:
    if error.status_code == 403:
        return csrf_failed(request)
    if error.status_code == 400:
        return problem_response(400, "The body cannot be read. It is JSON in UTF-8.")
    return problem_response(error.status_code, str(error))


@api.exception_handler(Http404)
def nothing_there(request: HttpRequest, error: Http404) -> HttpResponse:
    return problem_response(404, "There is nothing at this address.")


@api.exception_handler(ValidationError)
def invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    first = error.errors[0]
    # The location begins with where it was looked for and the name of the body's argument.
    path = [
        str(p) for p in first["loc"] if p not in ("body", "query", "path", "file", "form", "data", "words")
    ]
    return problem_response(422, f"{first['msg']}.", ".".join(path))
