"""Besides elements that were not found: what pages write over, and pages that were seen too early."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("splits", "0007_deleted")]

    operations = [
        migrations.RemoveConstraint(model_name="unfound", name="unfound_once"),
        migrations.RenameModel("Unfound", "Hindrance"),
        migrations.AddField(
            model_name="hindrance",
            name="why",
            field=models.CharField(
                max_length=12,
                default="missing",
                choices=[("missing", "Missing"), ("overwritten", "Overwritten"), ("late", "Late")],
            ),
        ),
        migrations.AlterField(
            model_name="hindrance",
            name="variant",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="hindrances", to="splits.variant"
            ),
        ),
        migrations.AddConstraint(
            model_name="hindrance",
            constraint=models.UniqueConstraint(fields=("variant", "selector", "why"), name="hindered_once"),
        ),
    ]
