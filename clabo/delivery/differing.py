"""What differs between an audience and what a channel was given of it, in tables of this connection's own."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from django.db import connection

from clabo.db.copying import copy_in, new_ids
from clabo.delivery.adapter import Member
from clabo.delivery.members import Wanted
from clabo.delivery.models import AudienceUse, Delivered
from clabo.sites.models import Consent


def lay_out_due(use: AudienceUse) -> None:
    """Lay out what differs by now, numbered; the use then says how many people and identities there are to be."""
    channel = use.channel
    nobody = use.ended_at or use.audience.deleted_at or not channel.agreed_at or channel.removed_at
    if nobody or channel.site.consent == Consent.NAMELESS:
        people, count = 0, _lay_out(iter(()))
    else:
        wanted = Wanted(use.audience)
        people, count = wanted.people, _lay_out(iter(wanted))
    AudienceUse.objects.filter(pk=use.pk).update(people=people, wanted=count)
    with connection.cursor() as cursor:
        cursor.execute("DROP TABLE IF EXISTS due_members")
        cursor.execute(
            """
            CREATE TEMPORARY TABLE due_members AS
            SELECT row_number() OVER () - 1 AS number, kind, hash, adding FROM (
                SELECT kind, hash, true AS adding FROM wanted_members w WHERE NOT EXISTS (
                    SELECT FROM delivery_delivered d WHERE d.use_id = %s AND d.kind = w.kind AND d.hash = w.hash)
                UNION ALL
                SELECT kind, hash, false FROM delivery_delivered d WHERE use_id = %s AND NOT EXISTS (
                    SELECT FROM wanted_members w WHERE w.kind = d.kind AND w.hash = d.hash)
            ) differing
            """,
            [use.pk, use.pk],
        )
        cursor.execute("CREATE INDEX ON due_members (number)")


def _lay_out(batches: Iterator[list[Member]]) -> int:
    with connection.cursor() as cursor:
        clear_up()
        cursor.execute("CREATE TEMPORARY TABLE all_wanted (kind smallint NOT NULL, hash bytea NOT NULL)")
        for batch in batches:
            with cursor.copy("COPY all_wanted (kind, hash) FROM STDIN") as copy:
                for member in batch:
                    copy.write_row(member)
        cursor.execute("CREATE TEMPORARY TABLE wanted_members AS SELECT DISTINCT kind, hash FROM all_wanted")
        count = int(cursor.rowcount)
        cursor.execute("DROP TABLE all_wanted")
        cursor.execute("ANALYZE wanted_members")
        return count


def due(start: int, stop: int) -> list[tuple[Member, bool]]:
    """Those that differ, numbered from `start` up to `stop`: whom, and whether they are to be put (else taken off)."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT kind, hash, adding FROM due_members WHERE number >= %s AND number < %s", [start, stop]
        )
        return [(Member(kind, bytes(hash_)), adding) for kind, hash_, adding in cursor.fetchall()]


def write_down(use: AudienceUse, taken: Sequence[tuple[Member, str]]) -> None:
    """They are there from now on; with a reason, they were refused for good."""
    rows = [
        Delivered(pk=pk, use=use, kind=m.kind, hash=m.hash, refused=reason)
        for (m, reason), pk in zip(taken, new_ids(Delivered, len(taken)), strict=True)
    ]
    copy_in(Delivered, rows)


def strike_off(use: AudienceUse, gone: Sequence[Member]) -> None:
    """They are not there any more."""
    with connection.cursor() as cursor:
        cursor.execute(
            "DELETE FROM delivery_delivered d USING unnest(%s::smallint[], %s::bytea[]) g(kind, hash) "
            "WHERE d.use_id = %s AND d.kind = g.kind AND d.hash = g.hash",
            [[m.kind for m in gone], [m.hash for m in gone], use.pk],
        )


def clear_up() -> None:
    """Have the tables go, for the connection is used by others after."""
    with connection.cursor() as cursor:
        cursor.execute("DROP TABLE IF EXISTS all_wanted, wanted_members, due_members")
