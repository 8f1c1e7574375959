"""Taking an outcome file in: upload, check, import, undo."""

from __future__ import annotations

import hashlib
import uuid
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import BinaryIO

from django.conf import settings
from django.db import transaction

from clabo.collect.events.models import Event
from clabo.core.money.spend_file import BadRow
from clabo.core.outcomes.outcome_file import (
    BY,
    OutcomeLine,
    OutcomeMapping,
    fields_of,
    guess_mapping,
    read_line,
    stages_said,
)
from clabo.core.outcomes.stages import Stage
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.locks import lock_site
from clabo.setup.sites.models import Site
from clabo.use.outcomes import services
from clabo.use.outcomes.matching import match
from clabo.use.outcomes.models import Outcome, OutcomeImport
from clabo.use.outcomes.services import pieces
from clabo.use.outcomes.stages import stages_of
from clabo.use.outcomes.tasks import settle_file
from clabo.use.outcomes.uploads import path_of, remove_old
from clabo.use.spend.files import Layout, look, rows

MAX_BYTES = 50 * 1024 * 1024
MOST_ROWS = 200_000
BAD_ROWS_SHOWN = 200
# So many are settled while somebody waits: some hundred a second.
AT_ONCE = 2_000
# Of so many rows it is tried which conversion they are of, before a file is taken in.
TRIED = 5_000


@dataclass(slots=True)
class OutcomeCheck:
    """What taking a file in would do. It can be taken in only when nothing is bad."""

    layout: Layout
    mapping: OutcomeMapping
    doubts: list[str]
    sample: list[list[str]]
    # Every word for a stage, with the key of what it means; empty where that has to be said.
    said: dict[str, str] = field(default_factory=dict)
    good: int = 0
    left_aside: int = 0
    bad_count: int = 0
    bad: list[tuple[int, BadRow, list[str]]] = field(default_factory=list)
    # Of the good ones, as far as they were tried: of something, and why not.
    tried: int = 0
    matched: int = 0
    reasons: Counter[str] = field(default_factory=Counter)
    by_stage: Counter[str] = field(default_factory=Counter)
    same_file: OutcomeImport | None = None

    @property
    def importable(self) -> bool:
        return bool(self.good) and not self.bad_count and self.same_file is None


def upload(site: Site, file_name: str, content: BinaryIO, by: User | None) -> OutcomeImport:
    """Keep the file to be looked at; nothing is taken in yet. Raises Problem."""
    folder = Path(settings.CLABO_UPLOAD_DIR)
    folder.mkdir(parents=True, exist_ok=True)
    remove_old(site)
    batch = OutcomeImport(
        site=site, file_name=file_name[-200:] or "file", stored_as=uuid.uuid4().hex, made_by=by
    )
    digest, size = hashlib.sha256(), 0
    try:
        with path_of(batch).open("wb") as out:
            while chunk := content.read(1 << 16):
                size += len(chunk)
                if size > MAX_BYTES:
                    raise Problem(
                        f"The file is larger than {MAX_BYTES >> 20} MB. Send fewer rows at a time.",
                        "file",
                        413,
                    )
                digest.update(chunk)
                out.write(chunk)
        look(path_of(batch), fields_of)
    except Problem:
        path_of(batch).unlink(missing_ok=True)
        raise
    batch.digest = digest.hexdigest()
    batch.save()
    return batch


def check(
    batch: OutcomeImport, mapping: OutcomeMapping | None = None, rule: ConversionRule | None = None
) -> OutcomeCheck:
    """Read the whole file without taking it in."""
    return _read(batch, mapping, rule)[0]


def _read(
    batch: OutcomeImport, mapping: OutcomeMapping | None, rule: ConversionRule | None
) -> tuple[OutcomeCheck, list[OutcomeLine]]:
    layout, sample = look(path_of(batch), fields_of)
    stages = stages_of(batch.site)
    guess = guess_mapping(layout.head, sample, stages)
    mapping = mapping or _by_what_is_known(batch.site, guess.mapping, sample, stages)
    place = mapping.columns.get("stage")
    if place is not None:
        cells = (row[place] for _, row in _rows(batch, layout) if place < len(row))
        proposed = stages_said(list(cells), stages)
        mapping = replace(
            mapping, stages=proposed | {k: v for k, v in mapping.stages.items() if k in proposed}
        )
    same = OutcomeImport.objects.filter(
        site=batch.site, digest=batch.digest, state=OutcomeImport.State.DONE
    ).first()
    found = OutcomeCheck(layout, mapping, guess.doubts, sample[:20], dict(mapping.stages), same_file=same)
    if place is None or not any(by in mapping.columns for by in BY):
        return found, []
    lines: list[OutcomeLine] = []
    by_key = {s.key: s for s in stages}
    for number, cells_ in _rows(batch, layout):
        line = read_line(cells_, mapping, by_key)
        if isinstance(line, BadRow):
            found.bad_count += 1
            if len(found.bad) < BAD_ROWS_SHOWN:
                found.bad.append((number, line, cells_))
        elif line is None:
            found.left_aside += 1
        else:
            lines.append(line)
            found.by_stage[line.stage] += 1
    found.good = len(lines)
    _try(batch.site, lines[:TRIED], rule, found)
    return found, lines


def _by_what_is_known(
    site: Site, mapping: OutcomeMapping, sample: list[list[str]], stages: Sequence[Stage]
) -> OutcomeMapping:
    """The mapping without its column of order numbers, where the site knows none of them and there is another identity.

    Many files have numbers of their own.
    """
    if "order" not in mapping.columns or not {"email", "customer"} & mapping.columns.keys():
        return mapping
    place = mapping.columns["order"]
    numbers = {row[place].strip() for row in sample if place < len(row)} - {""}
    if Event.objects.filter(site=site, order__in=numbers).exists():
        return mapping
    return replace(mapping, columns={name: n for name, n in mapping.columns.items() if name != "order"})


def _rows(batch: OutcomeImport, layout: Layout) -> Iterator[tuple[int, list[str]]]:
    for n, row in enumerate(rows(path_of(batch), layout)):
        if n >= MOST_ROWS:
            raise Problem(f"The file has more than {MOST_ROWS:,} rows. Send it in parts.", "file", 413)
        yield row


def _try(site: Site, lines: list[OutcomeLine], rule: ConversionRule | None, found: OutcomeCheck) -> None:
    now = datetime.now(UTC)
    outcomes = [services.outcome_of(site, line, str(n), None, rule, now) for n, line in enumerate(lines)]
    for number, outcome in enumerate(outcomes):
        outcome.pk = number
    for some in pieces(outcomes, 1000):
        for which in match(site, some).values():
            found.tried += 1
            if isinstance(which, str):
                found.reasons[which] += 1
            else:
                found.matched += 1


def take_in(
    batch: OutcomeImport, mapping: OutcomeMapping, rule: ConversionRule | None = None
) -> OutcomeImport:
    """Take the file in, all of it or nothing; raises Problem. The file itself is removed then."""
    site = batch.site
    with transaction.atomic():
        lock_site(site.pk)
        batch = OutcomeImport.objects.select_for_update().get(pk=batch.pk)
        if batch.state != OutcomeImport.State.UPLOADED:
            raise Problem("This import was finished already.", status=409)
        found, lines = _read(batch, mapping, rule)
        if found.same_file:
            raise Problem(
                f"The same file was taken in on {found.same_file.made_at:%-d %b} as {found.same_file.file_name}."
                " Undo that import first.",
                "file",
                409,
            )
        if not found.importable:
            raise Problem(f"{found.bad_count or 'All'} rows cannot be read. Nothing was taken in.", "rows")
        path = path_of(batch)
        taken = services.take(site, lines, batch, rule)
        batch.state, batch.rows, batch.stored_as = OutcomeImport.State.DONE, taken.new, ""
        batch.save()
    path.unlink(missing_ok=True)
    _settle(batch, taken.keys)
    return batch


def undo(batch: OutcomeImport) -> None:
    """Have an import say nothing any more: what earlier ones said of the same things holds again."""
    with transaction.atomic():
        lock_site(batch.site_id)
        locked = OutcomeImport.objects.select_for_update().get(pk=batch.pk)
        if locked.state != OutcomeImport.State.DONE:
            raise Problem("Only a finished import can be undone.", status=409)
        locked.state = OutcomeImport.State.UNDONE
        locked.save()
        keys = list(Outcome.objects.filter(batch=locked).values_list("key", flat=True).distinct())
    _settle(batch, keys)


def _settle(batch: OutcomeImport, keys: Sequence[str]) -> None:
    """At once where that takes seconds; else by the worker."""
    if len(keys) <= AT_ONCE:
        services.settle(batch.site, keys)
    else:
        settle_file.later(once=f"outcomes-{batch.pk}", site_id=batch.site_id, import_id=batch.pk)
