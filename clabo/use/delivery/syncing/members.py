"""Who of an audience may be known to a channel: hashed identities of people who agreed."""

from __future__ import annotations

from itertools import islice

from django.db import connection
from pyroaring import BitMap

from clabo.core import audiences
from clabo.core.trust.identities import KINDS, MOST_BROWSERS
from clabo.setup.sites.models import Consent
from clabo.use.audiences.evaluation.people import Population
from clabo.use.audiences.evaluation.stays import FURTHEST
from clabo.use.audiences.models import Audience
from clabo.use.audiences.queries import Others

_AT_ONCE = 50_000


def members_of(audience: Audience) -> BitMap:
    """The members by now, by their numbers. Where a site works without stored ids there are none: nobody there was asked."""
    site = audience.site
    if site.consent == Consent.NAMELESS:
        return BitMap()
    population = Population(site, Others(site), reach=FURTHEST)
    definition = audiences.parse(audience.definition, site.page_reading)
    population.read([definition])
    return population.asked(definition, audience.empty_at)


def lay_out_wanted(site_id: int, people: BitMap) -> int:
    """Write what these people have stated of themselves, each identity once, into `wanted_members`; how many there are.

    The table is this connection's own. Their other browsers count as they do. An identity that was taken apart stands for
    nobody, and of one that is proven only what is proven counts. Of an identity that many browsers state the first
    MOST_BROWSERS count: whoever makes up more must not have it taken out. What was stated in a browser before consent was
    taken back in it does not count; where that browser had proven who it is, nor does it in any other.
    """
    with connection.cursor() as cursor:
        clear_up()
        cursor.execute("CREATE TEMPORARY TABLE wanted_people (number integer NOT NULL)")
        numbers = iter(people)
        with cursor.copy("COPY wanted_people (number) FROM STDIN") as copy:
            while some := [str(n) for n in islice(numbers, _AT_ONCE)]:
                copy.write("\n".join(some) + "\n")
        cursor.execute("ANALYZE wanted_people")
        cursor.execute(
            """
            CREATE TEMPORARY TABLE wanted_members AS
            WITH people AS (
                SELECT v.id, v.id AS person FROM wanted_people w JOIN events_visitor v ON v.site_id = %(site)s AND v.number = w.number
            ), browsers AS (
                SELECT id, person FROM people
                UNION ALL SELECT v.id, p.person FROM events_visitor v JOIN people p ON v.joined_to_id = p.id WHERE v.site_id = %(site)s
            ), found AS MATERIALIZED (
                SELECT DISTINCT i.id, i.kind, i.hash
                FROM events_statement s JOIN browsers b ON b.id = s.visitor_id JOIN events_identity i ON i.id = s.identity_id
                WHERE NOT i.off AND i.site_id = %(site)s AND (s.proven OR NOT i.proven) AND NOT EXISTS (
                    SELECT FROM delivery_withdrawal w WHERE w.visitor_id = s.visitor_id AND w.at >= s.first_at
                ) AND NOT EXISTS (
                    SELECT FROM events_statement p JOIN delivery_withdrawal w ON w.visitor_id = p.visitor_id
                    WHERE p.identity_id = s.identity_id AND p.proven AND w.at >= s.first_at
                ) AND (s.proven OR %(most)s > (
                    SELECT count(*) FROM (
                        SELECT FROM events_statement e
                        WHERE e.identity_id = s.identity_id AND (e.first_at, e.visitor_id) < (s.first_at, s.visitor_id)
                        LIMIT %(most)s
                    ) earlier
                ))
            )
            SELECT (array_position(%(kinds)s::text[], kind::text) - 1)::smallint AS kind, hash FROM found
            """,
            {"site": site_id, "kinds": list(KINDS), "most": MOST_BROWSERS},
        )
        count = int(cursor.rowcount)
        cursor.execute("ANALYZE wanted_members")
        return count


def clear_up() -> None:
    """Have this connection's own tables go, for others use it after."""
    with connection.cursor() as cursor:
        cursor.execute("DROP TABLE IF EXISTS wanted_people, wanted_members, due_members")
