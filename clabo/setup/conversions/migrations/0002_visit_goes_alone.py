"""A conversion stays when its visit goes, until it is settled."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('conversions', '0001_initial'),
        ('events', '0003_identities'),
    ]

    operations = [
        migrations.AlterField(
            model_name='conversion',
            name='visit',
            field=models.ForeignKey(db_constraint=False, null=True, on_delete=django.db.models.deletion.DO_NOTHING, related_name='+', to='events.visit'),
        ),
    ]
