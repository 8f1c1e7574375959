
import django.contrib.postgres.fields
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('sites', '0001_initial'),
    ]

    operations = [
        migrations.AddField(
            model_name='site',
            name='consent',
            field=models.CharField(choices=[('always', 'Always'), ('ask', 'only after consent'), ('nameless', 'without a stored id')], default='always', max_length=10),
        ),
        migrations.AddField(
            model_name='site',
            name='frame_origins',
            field=django.contrib.postgres.fields.ArrayField(base_field=models.CharField(max_length=300), blank=True, default=list, size=None),
        ),
        migrations.AddField(
            model_name='site',
            name='own_networks',
            field=django.contrib.postgres.fields.ArrayField(base_field=models.CharField(max_length=50), blank=True, default=list, size=None),
        ),
    ]
