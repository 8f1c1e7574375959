"""Work in the background, as owners see it."""

from __future__ import annotations

from django.db.models import QuerySet
from django.http import HttpRequest
from ninja import Router
from procrastinate.contrib.django.models import ProcrastinateJob

from clabo.platform.accounts.access import workspace_for
from clabo.platform.accounts.models import Role, Workspace
from clabo.platform.jobs import queries, services
from clabo.setup.monitoring.jobs_schemas import JobOut, job_out
from clabo.setup.sites.models import Site


def _jobs(workspace: Workspace) -> QuerySet[ProcrastinateJob]:
    sites = Site.objects.filter(workspace=workspace).values_list("pk", flat=True)
    return queries.jobs_for(workspace.pk, list(sites))


router = Router(tags=["background work"])


@router.get("/workspaces/{int:workspace_id}/jobs", response=list[JobOut])
def jobs(request: HttpRequest, workspace_id: int) -> list[JobOut]:
    workspace = workspace_for(request, workspace_id, Role.OWNER)
    return [job_out(j) for j in queries.states(_jobs(workspace))]


@router.post("/workspaces/{int:workspace_id}/jobs/{int:job_id}/again", response={204: None})
def again(request: HttpRequest, workspace_id: int, job_id: int) -> tuple[int, None]:
    workspace = workspace_for(request, workspace_id, Role.OWNER)
    services.again(_jobs(workspace), job_id)
    return 204, None
