"""What is deleted is called so everywhere."""

from __future__ import annotations

from django.db import migrations, models


def _owing(column: str) -> str:
    """What notes a changed conversion (0002), where a channel's deletion stands in `column`."""
    wanted = f"""
        INSERT INTO delivery_owedreport (site_id, rule_id, event_id)
        SELECT DISTINCT site_id, rule_id, event_id FROM (%s) changed
        WHERE rule_id IN (
            SELECT r.conversionrule_id FROM delivery_adchannel_rules r
            JOIN delivery_adchannel c ON c.id = r.adchannel_id WHERE c.{column} IS NULL
        );
    """
    old, new = (f"SELECT site_id, rule_id, event_id FROM {rows}" for rows in ("old_rows", "new_rows"))
    return f"""
        CREATE OR REPLACE FUNCTION owe_reports() RETURNS trigger LANGUAGE plpgsql AS $owe$
        BEGIN
            IF TG_OP = 'INSERT' THEN {wanted % new}
            ELSIF TG_OP = 'DELETE' THEN {wanted % old}
            ELSE {wanted % f"{old} UNION {new}"}
            END IF;
            RETURN NULL;
        END
        $owe$;
    """


class Migration(migrations.Migration):
    dependencies = (("delivery", "0004_not_removed"),)

    operations = (
        migrations.RemoveConstraint("adchannel", "channel_name_once"),
        migrations.RemoveConstraint("adchannel", "channel_source_once"),
        migrations.RenameField("adchannel", "removed_at", "deleted_at"),
        migrations.AddConstraint(
            "adchannel",
            models.UniqueConstraint(fields=('site', 'name'), name="channel_name_once", condition=models.Q(deleted_at=None)),
        ),
        migrations.AddConstraint(
            "adchannel",
            models.UniqueConstraint(fields=('site', 'source'), name="channel_source_once", condition=models.Q(deleted_at=None)),
        ),
        migrations.RunSQL(_owing("deleted_at"), _owing("removed_at")),
    )
