"""Taking a spend file in: upload, check, import, undo."""

from __future__ import annotations

import hashlib
import uuid
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from datetime import date
from decimal import Decimal
from itertools import islice
from pathlib import Path
from typing import BinaryIO

from django.conf import settings
from django.db import connection, transaction

from clabo.collect.events.models import fingerprint
from clabo.core.message import message
from clabo.core.money.spend_file import (
    BadRow,
    ColumnMapping,
    Guess,
    SpendLine,
    guess_reading,
    is_sum_line,
    read_row,
)
from clabo.platform.accounts.models import User
from clabo.platform.db.copying import copy_in, new_ids
from clabo.platform.problems import Problem, missing
from clabo.setup.sites.locks import lock_site
from clabo.setup.sites.models import Site
from clabo.use.spend.files import Layout, look, rows
from clabo.use.spend.joining import pages_of, rejoin
from clabo.use.spend.models import FileReading, SpendImport, SpendRow

MAX_BYTES = 200 * 1024 * 1024
BAD_ROWS_SHOWN = 200
_CHUNK = 2000
# As namespace of advisory locks (pipeline._SITE_LOCK is another).
_SPEND_LOCK = 72728


@dataclass(slots=True)
class Check:
    """What importing a file would do. It can be imported only when nothing is bad."""

    layout: Layout
    reading: ColumnMapping
    doubts: list[str]
    sample: list[list[str]]
    good: int = 0
    sum_lines: int = 0
    bad_count: int = 0
    bad: list[tuple[int, BadRow, list[str]]] = field(default_factory=list)
    cost: Decimal = Decimal(0)
    clicks: int = 0
    impressions: int = 0
    # The ad side's own; None where no column says it.
    conversions: Decimal | None = None
    first_day: date | None = None
    last_day: date | None = None
    same_file: SpendImport | None = None

    @property
    def importable(self) -> bool:
        return bool(self.good) and not self.bad_count and self.same_file is None


def _path(batch: SpendImport) -> Path:
    return Path(settings.CLABO_UPLOAD_DIR) / batch.stored_as


def upload(site: Site, file_name: str, content: BinaryIO, by: User | None) -> SpendImport:
    """Keep the file to be looked at; nothing is imported yet."""
    folder = Path(settings.CLABO_UPLOAD_DIR)
    folder.mkdir(parents=True, exist_ok=True)
    stored_as = uuid.uuid4().hex
    digest, size = hashlib.sha256(), 0
    with (folder / stored_as).open("wb") as out:
        while chunk := content.read(1 << 16):
            size += len(chunk)
            if size > MAX_BYTES:
                out.close()
                (folder / stored_as).unlink()
                raise Problem("The file is larger than 200 MB. Export fewer days at a time.", "file", 413)
            digest.update(chunk)
            out.write(chunk)
    batch = SpendImport(
        site=site,
        file_name=file_name[-200:] or "file",
        digest=digest.hexdigest(),
        stored_as=stored_as,
        made_by=by,
    )
    try:
        look(_path(batch))
    except Problem:
        _path(batch).unlink()
        raise
    batch.save()
    return batch


def import_of(site: Site, import_id: int) -> SpendImport:
    """One import of the site; raises Problem."""
    batch = SpendImport.objects.filter(site=site, pk=import_id).first()
    if batch is None:
        raise missing("import")
    return batch


def propose(batch: SpendImport) -> tuple[Layout, Guess, list[list[str]]]:
    """The file's layout, a proposed reading, and some rows to see it by."""
    layout, sample = look(_path(batch))
    host = batch.site.hosts.filter(stands_for="").values_list("host", flat=True).first() or ""
    before = FileReading.objects.filter(site=batch.site, heads=_heads(layout)).first()
    guess = guess_reading(layout.head, sample, host, before.columns if before else None)
    if before is not None:
        # Somebody has looked at such a file. What this one says of itself goes before what the last one said.
        last = {"day_order": before.day_order, "decimal_mark": before.decimal_mark}
        said = {name: value for name, value in last.items() if name in guess.doubts}
        guess = Guess(replace(guess.reading, **said), [d for d in guess.doubts if d not in said])  # type: ignore[arg-type]
    return layout, guess, sample


def _heads(layout: Layout) -> str:
    return fingerprint(*layout.head)


def _remember(batch: SpendImport, layout: Layout, reading: ColumnMapping) -> None:
    FileReading.objects.update_or_create(
        site=batch.site,
        heads=_heads(layout),
        defaults={
            "columns": dict(reading.columns),
            "day_order": reading.day_order,
            "decimal_mark": reading.decimal_mark,
        },
    )


def check(
    batch: SpendImport,
    reading: ColumnMapping | None = None,
    use: Callable[[list[SpendLine]], None] | None = None,
) -> Check:
    """Read the whole file without importing it. `use` is given the good lines, until a row is bad."""
    layout, guess, sample = propose(batch)
    reading = guess.reading if reading is None else replace(reading, host=guess.reading.host)
    for needed in ("day", "cost"):
        if needed not in reading.columns:
            return Check(layout, reading, [*guess.doubts], sample[:20], same_file=_same_file(batch))
    result = Check(layout, reading, guess.doubts, sample[:20], same_file=_same_file(batch))
    for piece in _pieces(batch, layout, reading):
        lines = [(n, line) for n, line, _ in piece if isinstance(line, SpendLine)]
        known = _imported_before(batch, [line for _, line in lines])
        good: list[SpendLine] = []
        for number, line, cells in piece:
            if isinstance(line, SpendLine) and _print(line) in known:
                line = BadRow(
                    "row",
                    message("imported_before", day=line.day.isoformat(), file=known[_print(line)]),
                )
            if isinstance(line, BadRow):
                result.bad_count += 1
                if len(result.bad) < BAD_ROWS_SHOWN:
                    result.bad.append((number, line, cells))
            elif line is None:
                result.sum_lines += 1
            else:
                good.append(line)
                result.good += 1
                result.cost += line.cost
                result.clicks += line.clicks
                result.impressions += line.impressions
                if line.conversions is not None:
                    result.conversions = (result.conversions or Decimal(0)) + line.conversions
                result.first_day = min(result.first_day or line.day, line.day)
                result.last_day = max(result.last_day or line.day, line.day)
        if use and not result.bad_count:
            use(good)
    return result


Piece = list[tuple[int, SpendLine | BadRow | None, list[str]]]


def _pieces(batch: SpendImport, layout: Layout, reading: ColumnMapping) -> Iterator[Piece]:
    """The file's rows as read, some at a time; None stands for a sum line."""
    read = (
        (number, None if is_sum_line(cells) else read_row(cells, reading), cells)
        for number, cells in rows(_path(batch), layout)
    )
    while piece := list(islice(read, _CHUNK)):
        yield piece


def _print(line: SpendLine) -> str:
    return fingerprint(str(line.day), line.source, line.campaign, line.ad_group, line.ad, line.landing)


def _imported_before(batch: SpendImport, lines: list[SpendLine]) -> dict[str, str]:
    found = SpendRow.objects.filter(site=batch.site, fingerprint__in={_print(line) for line in lines})
    return dict(found.exclude(batch=batch).values_list("fingerprint", "batch__file_name"))


def _same_file(batch: SpendImport) -> SpendImport | None:
    same = SpendImport.objects.filter(site=batch.site, digest=batch.digest, state=SpendImport.State.DONE)
    return same.exclude(pk=batch.pk).first()


def take_in(batch: SpendImport, reading: ColumnMapping, remember: bool = True) -> SpendImport:
    """Import the file, all of it or nothing; raises Problem when a row is bad or it came before.

    How it is read is remembered for the next with the same column heads.
    """
    with transaction.atomic():
        _lock_spend(batch.site_id)
        batch = SpendImport.objects.select_for_update().get(pk=batch.pk)
        if batch.state != SpendImport.State.UPLOADED:
            raise Problem("This import was finished already.", status=409)
        if same := _same_file(batch):
            raise Problem(
                f"The same file was imported on {same.made_at:%-d %b} as {same.file_name}. Undo that import first.",
                "file",
                409,
            )
        # In one pass: what was written before a bad row is taken back with the transaction.
        found = check(batch, reading, _Writer(batch).write)
        if not found.importable:
            raise Problem(f"{found.bad_count or 'All'} rows cannot be read. Nothing was imported.", "rows")
        batch.state = SpendImport.State.DONE
        batch.source = found.reading.source
        batch.rows, batch.cost = found.good, found.cost
        batch.first_day, batch.last_day = found.first_day, found.last_day
        batch.save()
        if remember:
            _remember(batch, found.layout, found.reading)
        # Only now: reading a large file takes minutes, in which the site's hits go on being stored.
        lock_site(batch.site_id)
        rejoin(batch.site_id, _days_of(batch))
    return batch


def _lock_spend(site_id: int) -> None:
    """Until the transaction ends, nobody else takes files of this site in or out. Taken before any other lock."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s, %s)", [_SPEND_LOCK, site_id])


def _days_of(batch: SpendImport) -> set[date]:
    return set(SpendRow.objects.filter(batch=batch).values_list("day", flat=True).distinct())


class _Writer:
    """Writes good lines as the rows of an import."""

    def __init__(self, batch: SpendImport) -> None:
        self.batch = batch
        self.pages = _LandingPages(batch.site)

    def write(self, lines: list[SpendLine]) -> None:
        """Some lines; the ids of their pages are looked up as they come."""
        page_ids = self.pages.find({line.landing for line in lines if line.landing})
        made = [
            SpendRow(
                pk=row_id,
                site_id=self.batch.site_id,
                batch_id=self.batch.pk,
                day=line.day,
                source=line.source,
                campaign=line.campaign,
                ad_group=line.ad_group,
                ad=line.ad,
                page_id=page_ids.get(line.landing),
                landing=line.landing,
                impressions=line.impressions,
                clicks=line.clicks,
                cost=line.cost,
                conversions=line.conversions,
                value=line.value,
                view_conversions=line.view_conversions,
                fingerprint=_print(line),
            )
            for line, row_id in zip(lines, new_ids(SpendRow, len(lines)), strict=True)
        ]
        copy_in(SpendRow, made)


class _LandingPages:
    """Pages by the address that a spend file gives, remembered over the file."""

    def __init__(self, site: Site) -> None:
        self.site = site
        self._known: dict[str, int | None] = {}

    def find(self, addresses: set[str]) -> dict[str, int | None]:
        if new := addresses - self._known.keys():
            self._known |= dict.fromkeys(new) | pages_of(self.site, new)
        return self._known


def undo(batch: SpendImport) -> None:
    """Take an import's rows out again. The file is kept, and can be imported again."""
    with transaction.atomic():
        _lock_spend(batch.site_id)
        locked = SpendImport.objects.select_for_update().get(pk=batch.pk)
        if locked.state != SpendImport.State.DONE:
            raise Problem("Only a finished import can be undone.", status=409)
        days = _days_of(locked)
        SpendRow.objects.filter(batch=locked).delete()
        lock_site(locked.site_id)
        rejoin(locked.site_id, days)
        locked.state = SpendImport.State.UNDONE
        locked.save()
