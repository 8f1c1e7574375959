"""Members as files: CSV (RFC 4180), JSON lines and Parquet, written as they are read."""

from __future__ import annotations

import csv
import io
import json
from collections import defaultdict
from collections.abc import Iterable, Iterator
from datetime import date
from itertools import repeat
from typing import Any, Literal, NamedTuple

import pyarrow as pa
import pyarrow.parquet as pq
from django.core import signing
from django.db.models.functions import Coalesce
from pyroaring import BitMap

from clabo.collect.events.models import Statement, Visitor
from clabo.core import audiences
from clabo.core.trust.identities import KINDS as KINDS_OF_IDENTITY
from clabo.platform.accounts.access import require
from clabo.platform.accounts.models import Role, User
from clabo.platform.db.arrays import in_array
from clabo.platform.problems import Problem, missing
from clabo.use.audiences.evaluation.people import Population
from clabo.use.audiences.evaluation.stays import FURTHEST, stays
from clabo.use.audiences.models import Audience, Taking
from clabo.use.audiences.queries import Others

Change = Literal["in", "added", "removed"]
Format = Literal["csv", "jsonl", "parquet"]
KINDS: dict[Format, str] = {
    "csv": "text/csv; charset=utf-8",
    "jsonl": "application/x-ndjson",
    "parquet": "application/vnd.apache.parquet",
}
CHUNK = 20_000


class Row(NamedTuple):
    """A member, or what has changed of one since a day."""

    visitor: str
    # SHA-256 of what pages have stated of them, several with a space between.
    email_hashes: str
    id_hashes: str
    change: Change
    since: date | None
    until: date | None


def rows(audience: Audience, since: date | None = None) -> Iterator[list[Row]]:
    """The members, some thousand at a time; with `since`, who was added and removed after that day. Raises Problem."""
    population = Population(audience.site, Others(audience.site), reach=FURTHEST)
    definition = audiences.parse(audience.definition, audience.site.page_reading)
    ago = 0 if since is None else (population.today - since).days
    if since is not None and not 0 < ago < FURTHEST:
        raise Problem(f"Give a day before today, at most {FURTHEST - 1} days back.", "since")
    population.read([definition])
    members = population.asked(definition, audience.empty_at)
    before = population.asked(definition, audience.empty_at, ago) if since else BitMap()
    # Checked above; what follows is read while it is sent.
    return _rows(audience, population, definition, members, before, since)


def taken_out(
    audience: Audience, form: Format, since: date | None, by: User | None, by_link: bool = False
) -> Iterator[bytes]:
    """The file, piece by piece; noted when it begins, and how many there were when it is through. Raises Problem."""
    batches = rows(audience, since)
    taking = Taking.objects.create(audience=audience, by=by, by_link=by_link, form=form, since=since)

    def counted() -> Iterator[list[Row]]:
        count = 0
        for batch in batches:
            count += len(batch)
            yield batch
        Taking.objects.filter(pk=taking.pk).update(rows=count)

    return written(counted(), form)


# A link is good for so long.
LINK_SECONDS = 24 * 3600
_SALT = "clabo.use.audiences.members"


def link_token(audience: Audience, form: Format, by: User) -> str:
    """What a link carries: nothing can be changed in it."""
    return signing.dumps([audience.pk, form, by.pk], salt=_SALT)


def by_link(token: str) -> tuple[Audience, Format, User]:
    """What a link is of; raises Problem where it is no link of ours, too old, or its maker may not look any more."""
    try:
        audience_id, form, user_id = signing.loads(token, salt=_SALT, max_age=LINK_SECONDS)
    except signing.BadSignature:
        raise Problem("This link is not good, or not any more. Ask for a new one.", status=404) from None
    audience = Audience.objects.filter(pk=audience_id, deleted_at=None).select_related("site").first()
    user = User.objects.filter(pk=user_id, is_active=True).first()
    if audience is None or user is None:
        raise missing("audience")
    require(audience.site.workspace_id, user, Role.EDITOR, "audience")
    return audience, form, user


def _rows(
    audience: Audience,
    population: Population,
    definition: audiences.Definition,
    members: BitMap,
    before: BitMap,
    since: date | None,
) -> Iterator[list[Row]]:
    known = stays(population, definition) if audience.empty_at is None else None
    turns: list[tuple[Change, BitMap]] = [
        ("added" if since else "in", members - before),
        ("removed", before - members),
    ]
    for sort, people in turns:
        numbers = list(people)
        for start in range(0, len(numbers), CHUNK):
            some = numbers[start : start + CHUNK]
            keys = dict(
                Visitor.objects.filter(in_array("number", some), site=audience.site).values_list(
                    "number", "key"
                )
            )
            stated = _stated(audience.site_id, some)
            dates: Iterable[tuple[date | None, date | None]] = repeat((None, None))
            if known is not None and sort != "removed":
                dates = known.dates(some)
            made = [
                Row(keys[number].hex, *stated[number], sort, came, until)
                for number, (came, until) in zip(some, dates, strict=False)
            ]
            yield made


def _stated(site_id: int, numbers: list[int]) -> defaultdict[int, tuple[str, str]]:
    """What pages have stated of these people, in any of their browsers."""
    owner = Coalesce("visitor__joined_to__number", "visitor__number")
    people = Visitor.objects.filter(in_array("number", numbers), site=site_id).values_list("id", flat=True)
    pks = list(people)
    browsers = Visitor.objects.filter(in_array("id", pks) | in_array("joined_to_id", pks))
    rows = (
        Statement.objects.counted()
        .filter(in_array("visitor_id", browsers.values_list("id", flat=True)))
        .annotate(owner=owner)
        .order_by("identity__hash")
        .values_list("owner", "identity__kind", "identity__hash")
    )
    found: defaultdict[int, tuple[dict[str, None], dict[str, None]]] = defaultdict(lambda: ({}, {}))
    for number, kind, hash_ in rows:
        found[number][KINDS_OF_IDENTITY.index(kind)][bytes(hash_).hex()] = None
    told: defaultdict[int, tuple[str, str]] = defaultdict(lambda: ("", ""))
    for number, (emails, ids) in found.items():
        told[number] = " ".join(emails), " ".join(ids)
    return told


def written(batches: Iterator[list[Row]], form: Format) -> Iterator[bytes]:
    """The file, piece by piece."""
    return {"csv": _csv, "jsonl": _jsonl, "parquet": _parquet}[form](batches)


def _csv(batches: Iterator[list[Row]]) -> Iterator[bytes]:
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(Row._fields)
    for batch in batches:
        writer.writerows([[_plain(value) for value in row] for row in batch])
        yield out.getvalue().encode()
        out.seek(0)
        out.truncate()
    yield out.getvalue().encode()


def _jsonl(batches: Iterator[list[Row]]) -> Iterator[bytes]:
    for batch in batches:
        yield "".join(
            json.dumps({k: _plain(v) or None for k, v in row._asdict().items()}) + "\n" for row in batch
        ).encode()


def _plain(value: str | date | None) -> str:
    return "" if value is None else str(value)


_SCHEMA = pa.schema(
    [
        ("visitor", pa.string()),
        ("email_hashes", pa.string()),
        ("id_hashes", pa.string()),
        ("change", pa.string()),
        ("since", pa.date32()),
        ("until", pa.date32()),
    ]
)


def _parquet(batches: Iterator[list[Row]]) -> Iterator[bytes]:
    sink = _Sent()
    with pq.ParquetWriter(pa.PythonFile(sink, mode="w"), _SCHEMA, compression="zstd") as writer:
        for batch in batches:
            columns: list[tuple[Any, ...]] = list(zip(*batch, strict=True)) or [()] * len(_SCHEMA)
            writer.write_table(
                pa.table([pa.array(c, f.type) for c, f in zip(columns, _SCHEMA, strict=True)], schema=_SCHEMA)
            )
            yield sink.taken()
    yield sink.taken()


class _Sent(io.RawIOBase):
    """A file that is sent on as it is written, and not kept."""

    def __init__(self) -> None:
        self._pieces: list[bytes] = []
        self._size = 0

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self._pieces.append(bytes(data))
        self._size += len(self._pieces[-1])
        return len(self._pieces[-1])

    def tell(self) -> int:
        return self._size

    def taken(self) -> bytes:
        """What was written since it was last taken."""
        pieces, self._pieces = self._pieces, []
        return b"".join(pieces)
