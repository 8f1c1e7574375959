
import django.contrib.postgres.fields
import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('collect', '0003_coverage_and_kit_links'),
        ('sites', '0002_consent_and_own_visits'),
    ]

    operations = [
        migrations.CreateModel(
            name='BridgeLink',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('slug', models.CharField(max_length=60)),
                ('target', models.CharField(max_length=2000)),
                ('reference_name', models.CharField(default='ref', max_length=40)),
                ('free_names', django.contrib.postgres.fields.ArrayField(base_field=models.CharField(max_length=40), blank=True, default=list, size=None)),
                ('pixel_sales', models.BooleanField(default=False)),
                ('secret', models.CharField(max_length=64)),
                ('created_at', models.DateTimeField(auto_now_add=True)),
                ('removed_at', models.DateTimeField(null=True)),
                ('site', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='sites.site')),
            ],
            options={
                'constraints': [models.UniqueConstraint(condition=models.Q(('removed_at', None)), fields=('site', 'slug'), name='bridge_name_once')],
            },
        ),
    ]
