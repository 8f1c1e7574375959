"""A conversion knows its day of the site, and which days were changed is noted (platform/db/daychanges.py)."""

from django.db import migrations, models

from clabo.platform.db.daychanges import noting

FILL = """
UPDATE conversions_conversion c SET day = (c.time AT TIME ZONE s.time_zone)::date
FROM sites_site s WHERE s.id = c.site_id;
"""


class Migration(migrations.Migration):
    dependencies = [("conversions", "0003_noted_days"), ("sites", "0001_initial")]

    operations = [
        migrations.AddField("conversion", "day", models.DateField(null=True)),
        migrations.RunSQL(FILL, migrations.RunSQL.noop),
        migrations.AlterField("conversion", "day", models.DateField()),
        migrations.AddIndex("conversion", models.Index(fields=["site", "rule", "day"], name="conversion_by_day")),
        noting("conversions_conversion"),
    ]
