"""Which days of which site were changed is noted (platform/db/daychanges.py)."""

from django.db import migrations

from clabo.platform.db.daychanges import noting


class Migration(migrations.Migration):
    dependencies = [("conversions", "0002_visit_goes_alone"), ("events", "0005_day_versions")]

    operations = [noting("conversions_credit")]
