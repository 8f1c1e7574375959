"""Triggers that note which days of which site a statement has changed in a table with `site_id` and `day`.

Whoever writes (the ORM, COPY, a cascade), the day's version changes in the same transaction, so that what was summed over
the day before can be told from what would be summed now.
"""

from __future__ import annotations

from django.db.migrations.operations import RunSQL

VERSIONS = "events_dayversion"
_SEQUENCE = "events_dayversion_versions"
_NOTE = f"""
    INSERT INTO {VERSIONS} (of_table, site_id, day, version)
    SELECT TG_TABLE_NAME, site_id, day, nextval('{_SEQUENCE}') FROM (%s) changed
    ON CONFLICT (of_table, site_id, day) DO UPDATE SET version = excluded.version;
"""
# In order, so that two transactions never wait for each other crosswise.
_ONE = "SELECT DISTINCT site_id, day FROM {0} ORDER BY 1, 2"
_BOTH = "SELECT site_id, day FROM old_rows UNION SELECT site_id, day FROM new_rows ORDER BY 1, 2"

MAKE = f"""
CREATE SEQUENCE {_SEQUENCE};
CREATE FUNCTION note_changed_days() RETURNS trigger LANGUAGE plpgsql AS $note$
BEGIN
    IF TG_OP = 'INSERT' THEN {_NOTE % _ONE.format("new_rows")}
    ELSIF TG_OP = 'DELETE' THEN {_NOTE % _ONE.format("old_rows")}
    ELSE {_NOTE % _BOTH}
    END IF;
    RETURN NULL;
END
$note$;
"""
UNMAKE = f"DROP FUNCTION note_changed_days(); DROP SEQUENCE {_SEQUENCE};"


def making() -> RunSQL:
    """The migration operation that makes the function all triggers call; the table of versions is there already."""
    return RunSQL(MAKE, UNMAKE)


def noting(table: str) -> RunSQL:
    """The migration operation that has the changes of a table noted, and the days that it has rows of by now."""
    seen = {
        "INSERT": "NEW TABLE AS new_rows",
        "DELETE": "OLD TABLE AS old_rows",
        "UPDATE": "OLD TABLE AS old_rows NEW TABLE AS new_rows",
    }
    made = [
        f"CREATE TRIGGER days_{done.lower()} AFTER {done} ON {table} REFERENCING {rows} "
        "FOR EACH STATEMENT EXECUTE FUNCTION note_changed_days();"
        for done, rows in seen.items()
    ]
    made.append(
        f"INSERT INTO {VERSIONS} (of_table, site_id, day, version) SELECT '{table}', site_id, day, nextval('{_SEQUENCE}') "
        f"FROM (SELECT DISTINCT site_id, day FROM {table}) there "
        # Some are left where it was taken back before.
        "ON CONFLICT (of_table, site_id, day) DO UPDATE SET version = excluded.version;"
    )
    gone = [f"DROP TRIGGER days_{done.lower()} ON {table};" for done in seen]
    return RunSQL("\n".join(made), "\n".join(gone))
