"""A test that is deleted can be restored."""

from __future__ import annotations

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = (("splits", "0006_edit_sessions"),)

    operations = (
        migrations.AddField("splittest", "deleted_at", models.DateTimeField(editable=False, null=True)),
    )
