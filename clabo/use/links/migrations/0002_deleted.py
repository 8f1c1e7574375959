"""A link that is deleted can be restored."""

from __future__ import annotations

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = (("links", "0001_initial"),)

    operations = (
        migrations.AddField("adlink", "deleted_at", models.DateTimeField(editable=False, null=True)),
        migrations.RemoveConstraint("adlink", "ad_link_once"),
        migrations.AddConstraint(
            "adlink",
            models.UniqueConstraint(fields=('site', 'fingerprint'), name="ad_link_once", condition=models.Q(deleted_at=None)),
        ),
    )
