"""What differs between an audience and what a channel was given of it, in tables of this connection's own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.db import connection
from pyroaring import BitMap

from clabo.platform.db.copying import copy_in, new_ids
from clabo.use.delivery.adapters.adapter import Member
from clabo.use.delivery.models import AudienceUse, Delivered
from clabo.use.delivery.syncing.members import lay_out_wanted, members_of


def lay_out_due(use: AudienceUse) -> None:
    """Lay out what differs by now, numbered; the use then says how many people and identities there are to be."""
    channel = use.channel
    nobody = use.ended_at or use.audience.deleted_at or not channel.agreed_at or channel.deleted_at
    people = BitMap() if nobody else members_of(use.audience)
    count = lay_out_wanted(channel.site_id, people)
    AudienceUse.objects.filter(pk=use.pk).update(people=len(people), wanted=count)
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


def due(start: int, stop: int) -> list[tuple[Member, bool]]:
    """Those that differ, numbered from `start` up to `stop`: whom, and whether they are to be put (else taken off)."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT kind, hash, adding FROM due_members WHERE number >= %s AND number < %s", [start, stop]
        )
        return [(Member(kind, bytes(hash_)), adding) for kind, hash_, adding in cursor.fetchall()]


def not_wanted(members: Sequence[Member]) -> list[Member]:
    """Those of them who are not to be there by what is laid out."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT kind, hash FROM unnest(%s::smallint[], %s::bytea[]) m(kind, hash) "
            "WHERE NOT EXISTS (SELECT FROM wanted_members w WHERE w.kind = m.kind AND w.hash = m.hash)",
            [[m.kind for m in members], [m.hash for m in members]],
        )
        return [Member(kind, bytes(hash_)) for kind, hash_ in cursor.fetchall()]


def write_down(use: AudienceUse, taken: Sequence[tuple[Member, str]]) -> None:
    """They are there from now on; with a reason, they were refused for good."""
    rows = [
        Delivered(pk=pk, use=use, kind=m.kind, hash=m.hash, refused=reason)
        for (m, reason), pk in zip(taken, new_ids(Delivered, len(taken)), strict=True)
    ]
    copy_in(Delivered, rows)


def note_not_removed(use: AudienceUse, why: Mapping[Member, str]) -> None:
    """The channel would not take them off, each for its reason."""
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE delivery_delivered d SET not_removed = g.why "
            "FROM unnest(%s::smallint[], %s::bytea[], %s::text[]) g(kind, hash, why) "
            "WHERE d.use_id = %s AND d.kind = g.kind AND d.hash = g.hash",
            [[m.kind for m in why], [m.hash for m in why], [r[:60] for r in why.values()], use.pk],
        )


def strike_off(use: AudienceUse, gone: Sequence[Member]) -> None:
    """They are not there any more."""
    with connection.cursor() as cursor:
        cursor.execute(
            "DELETE FROM delivery_delivered d USING unnest(%s::smallint[], %s::bytea[]) g(kind, hash) "
            "WHERE d.use_id = %s AND d.kind = g.kind AND d.hash = g.hash",
            [[m.kind for m in gone], [m.hash for m in gone], use.pk],
        )
