"""A plan that is deleted can be restored."""

from __future__ import annotations

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = (("plans", "0002_return_said"),)

    operations = (
        migrations.AddField("adplan", "deleted_at", models.DateTimeField(editable=False, null=True)),
        migrations.RemoveConstraint("adplan", "plan_name_once"),
        migrations.AddConstraint(
            "adplan",
            models.UniqueConstraint(fields=('site', 'name'), name="plan_name_once", condition=models.Q(deleted_at=None)),
        ),
    )
