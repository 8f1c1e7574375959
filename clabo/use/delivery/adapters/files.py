"""What a channel is given as files: CSV (RFC 4180), with columns named as the ad program names them."""

from __future__ import annotations

import csv
import io
import tempfile
from collections.abc import Iterable, Iterator, Mapping
from datetime import UTC, datetime
from typing import IO, Literal

from django.db import transaction

from clabo.core.audiences.delivery import CONVERSION_COLUMNS, MEMBER_COLUMNS
from clabo.core.trust.identities import KINDS
from clabo.platform.outputs.writing import harmless
from clabo.platform.problems import Problem
from clabo.use.delivery.models import AdChannel, AudienceUse, Delivered, Report
from clabo.use.delivery.syncing import reporting
from clabo.use.delivery.syncing.differing import due, lay_out_due, strike_off, write_down
from clabo.use.delivery.syncing.members import clear_up

What = Literal["all", "changes"]
_AT_ONCE = 5_000
_IN_MEMORY = 4 * 1024 * 1024
MOST_HEAD = 100


def set_heads(channel: AdChannel, members: Mapping[str, str], conversions: Mapping[str, str]) -> None:
    """Remember how the columns of a channel's files are named, in their order; raises Problem."""
    kept = {}
    for about, named, known in (
        ("members", members, MEMBER_COLUMNS),
        ("conversions", conversions, CONVERSION_COLUMNS),
    ):
        for column, head in named.items():
            if column not in known:
                raise Problem(f"There is no column {column[:40]}. Choose from {', '.join(known)}.", about)
            if not head.strip() or len(head) > MOST_HEAD or "\x00" in head:
                raise Problem(f"Name the column {column} with at most {MOST_HEAD} characters.", about)
        heads = {column: head.strip() for column, head in named.items()}
        if len(set(heads.values())) != len(heads):
            raise Problem("Two columns have the same name.", about)
        kept[about] = heads
    if kept["members"] and not {"email", "id"} & kept["members"].keys():
        raise Problem("A file of members has a column for e-mail addresses or for customer ids.", "members")
    if kept["conversions"] and "click" not in kept["conversions"]:
        raise Problem("A file of conversions has a column for the click.", "conversions")
    channel.heads = kept
    channel.save(update_fields=["heads"])


def heads_of(channel: AdChannel, about: Literal["members", "conversions"]) -> dict[str, str]:
    """How the columns of a channel's files are named."""
    plain = MEMBER_COLUMNS if about == "members" else CONVERSION_COLUMNS
    return dict(channel.heads.get(about) or plain)


def members_file(use: AudienceUse, what: What) -> Iterator[bytes]:
    """All members, or those that came and went since the last file; what is in it counts as given from then on.

    The file is written as a whole before the first byte of it is sent: broken off before that, nothing counts as given.
    """
    if not use.channel.agreed_at:
        raise Problem(
            f"Say first, at {use.channel.name}, that people agreed to their hashed identities going there.",
            "channel",
        )
    heads = heads_of(use.channel, "members")
    with transaction.atomic():
        use = (
            AudienceUse.objects.select_for_update(of=("self",))
            .select_related("channel__site", "audience__site")
            .get(pk=use.pk)
        )
        if what == "all":
            Delivered.objects.filter(use=use).delete()
        lay_out_due(use)
        file = _written(heads, _member_rows(use, heads))
        clear_up()
        AudienceUse.objects.filter(pk=use.pk).update(done_at=datetime.now(UTC), version=use.audience.version)
    return _pieces(file)


def _member_rows(use: AudienceUse, heads: Mapping[str, str]) -> Iterator[list[str]]:
    number = 0
    while some := due(number, number + _AT_ONCE):
        number += _AT_ONCE
        write_down(use, [(m, "") for m, adding in some if adding])
        strike_off(use, [m for m, adding in some if not adding])
        for member, adding in some:
            said = {KINDS[member.kind]: member.hash.hex(), "change": "added" if adding else "removed"}
            if KINDS[member.kind] in heads:
                yield [said.get(column, "") for column in heads]


def conversions_file(channel: AdChannel) -> Iterator[bytes]:
    """All conversions that came, changed or went since the last file; they count as told from then on."""
    while reporting.settle(channel.site) == reporting.OWED_AT_ONCE:
        pass
    heads = heads_of(channel, "conversions")
    with transaction.atomic():
        waiting = (
            Report.objects.select_for_update(of=("self",))
            .filter(channel=channel, state=Report.State.WAITING)
            .select_related("rule")
            .order_by("time", "pk")
        )
        reports = list(waiting)
        file = _written(heads, (_said(r, heads) for r in reports))
        Report.objects.filter(pk__in=[r.pk for r in reports]).update(
            state=Report.State.TAKEN, answered_at=datetime.now(UTC)
        )
    return _pieces(file)


def _said(report: Report, heads: Mapping[str, str]) -> list[str]:
    change = "withdrawn" if report.withdrawn else "new" if report.revision == 1 else "changed"
    said = {
        "click": report.click,
        "name": report.name or report.rule.name,
        "time": report.time.isoformat(timespec="seconds"),
        "value": "" if report.value is None else f"{report.value:f}",
        "currency": report.currency,
        "event": report.event,
        "change": change,
    }
    return [said[column] for column in heads]


def _written(heads: Mapping[str, str], rows: Iterable[list[str]]) -> IO[bytes]:
    file = tempfile.SpooledTemporaryFile(_IN_MEMORY)  # noqa: SIM115 - whoever sends it closes it
    text = io.TextIOWrapper(file, "utf-8", newline="", write_through=True)
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow([harmless(head) for head in heads.values()])
    for row in rows:
        writer.writerow([harmless(cell) for cell in row])
    text.detach()
    file.seek(0)
    return file


def _pieces(file: IO[bytes]) -> Iterator[bytes]:
    with file:
        while piece := file.read(65536):
            yield piece
