"""Visitors are numbered from 1 on within their site."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("events", "0001_initial")]

    operations = [
        migrations.AddField("visitor", "number", models.PositiveIntegerField(null=True)),
        migrations.RunSQL(
            "UPDATE events_visitor v SET number = n.number FROM "
            "(SELECT id, row_number() OVER (PARTITION BY site_id ORDER BY id) AS number FROM events_visitor) n "
            "WHERE n.id = v.id",
            migrations.RunSQL.noop,
        ),
        migrations.AlterField("visitor", "number", models.PositiveIntegerField()),
        migrations.AddConstraint(
            "visitor",
            models.UniqueConstraint(fields=("site", "number"), name="visitor_numbered_once"),
        ),
    ]
