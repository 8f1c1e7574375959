"""A column that is deleted can be restored."""

from __future__ import annotations

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = (("columns", "0001_initial"),)

    operations = (
        migrations.AddField("owncolumn", "deleted_at", models.DateTimeField(editable=False, null=True)),
        migrations.RemoveConstraint("owncolumn", "column_name_once"),
        migrations.AddConstraint(
            "owncolumn",
            models.UniqueConstraint(fields=('site', 'name'), name="column_name_once", condition=models.Q(deleted_at=None)),
        ),
    )
