"""Which days of which site were changed is noted (platform/db/daychanges.py)."""

from django.db import migrations

from clabo.platform.db.daychanges import noting


class Migration(migrations.Migration):
    dependencies = [("spend", "0002_spendrow_conversions_spendrow_value_and_more"), ("events", "0005_day_versions")]

    operations = [noting("spend_costpart")]
