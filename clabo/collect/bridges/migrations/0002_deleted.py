"""What is deleted is called so everywhere."""

from __future__ import annotations

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = (("bridges", "0001_initial"),)

    operations = (
        migrations.RemoveConstraint("bridgelink", "bridge_name_once"),
        migrations.RenameField("bridgelink", "removed_at", "deleted_at"),
        migrations.AddConstraint(
            "bridgelink",
            models.UniqueConstraint(fields=('site', 'slug'), name="bridge_name_once", condition=models.Q(deleted_at=None)),
        ),
    )
