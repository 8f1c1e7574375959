"""Notes on days."""

from __future__ import annotations

from datetime import date

from django.http import HttpRequest
from ninja import Field, Query, Router

from clabo.judge.notes import services
from clabo.judge.notes.services import Kind
from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.problems import Problem
from clabo.platform.shapes import Shape
from clabo.setup.sites.access import site_for

router = Router(tags=["notes"])
HERE = "/sites/{int:site_id}/notes"
MOST_DAYS = 1500


class NoteIn(Shape):
    day: date
    text: str = Field(max_length=300)


class NoteOut(Shape):
    # Who or what it is from: "written" by somebody; a "rule", a "test", "spend" or a "page" by Clabo.
    kind: Kind
    day: date
    text: str
    by: str
    # Only of what somebody has written.
    id: int | None
    # Of a page that has changed.
    page_id: int | None = None


class NotesIn(Shape):
    first: date
    last: date
    # Of pages' changes only those of these pages, by id.
    page: list[int] = []


@router.get(HERE, response=list[NoteOut])
def notes(request: HttpRequest, site_id: int, words: Query[NotesIn]) -> list[NoteOut]:
    site = site_for(request, site_id)
    if not 0 <= (words.last - words.first).days < MOST_DAYS:
        raise Problem(f"Ask for 1 to {MOST_DAYS} days.", "last")
    return [
        NoteOut(kind=n.kind, day=n.day, text=n.text, by=n.by, id=n.note_id, page_id=n.page_id)
        for n in services.notes_of(site, words.first, words.last, words.page)
    ]


@router.post(HERE, response=NoteOut)
def write_note(request: HttpRequest, site_id: int, data: NoteIn) -> NoteOut:
    site = site_for(request, site_id, Role.EDITOR)
    made = services.write(site, data.day, data.text, person(request))
    return NoteOut(kind="written", day=made.day, text=made.text, by=str(made.made_by or ""), id=made.pk)


@router.delete(HERE + "/{int:note_id}", response={204: None})
def remove_note(request: HttpRequest, site_id: int, note_id: int) -> tuple[int, None]:
    services.remove(site_for(request, site_id, Role.EDITOR), note_id)
    return 204, None
