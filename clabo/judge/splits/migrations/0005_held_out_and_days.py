"""Visitors held out; an exposure knows its site and its day, and which days were changed is noted (platform/db/daychanges.py)."""

import django.db.models.deletion
from django.db import migrations, models

from clabo.platform.db.daychanges import noting

FILL = """
UPDATE splits_exposure e SET site_id = s.id, day = (e.first_at AT TIME ZONE s.time_zone)::date
FROM splits_splittest t JOIN sites_site s ON s.id = t.site_id WHERE t.id = e.test_id;
"""


def site(null: bool) -> models.ForeignKey:
    return models.ForeignKey(
        "sites.site", on_delete=django.db.models.deletion.CASCADE, related_name="+", db_index=False, null=null
    )


class Migration(migrations.Migration):
    dependencies = [("splits", "0004_pages_and_pictures"), ("sites", "0001_initial"), ("events", "0005_day_versions")]

    operations = [
        migrations.AddField("splittest", "held_out", models.PositiveSmallIntegerField(db_default=0, default=0)),
        migrations.AddField("exposure", "site", site(null=True)),
        migrations.AddField("exposure", "day", models.DateField(null=True)),
        migrations.RunSQL(FILL, migrations.RunSQL.noop),
        migrations.AlterField("exposure", "site", site(null=False)),
        migrations.AlterField("exposure", "day", models.DateField()),
        migrations.AddIndex("exposure", models.Index(fields=["test", "day"], name="exposed_by_day")),
        noting("splits_exposure"),
        # The column is there already.
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.RemoveField("exposure", "visit_id"),
                migrations.AddField(
                    "exposure",
                    "visit",
                    models.ForeignKey(
                        "events.visit",
                        on_delete=django.db.models.deletion.DO_NOTHING,
                        related_name="+",
                        db_index=False,
                        db_constraint=False,
                    ),
                    preserve_default=False,
                ),
            ]
        ),
    ]
