
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('collect', '0004_bridge_links'),
        ('sites', '0002_consent_and_own_visits'),
    ]

    operations = [
        migrations.AddIndex(
            model_name='visit',
            index=models.Index(condition=models.Q(('standing__gt', 0)), fields=['site', 'ended_at'], name='visit_uncounted'),
        ),
    ]
