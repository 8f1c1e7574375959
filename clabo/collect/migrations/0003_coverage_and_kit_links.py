
import clabo.collect.models
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('collect', '0002_elements_and_salts'),
        ('sites', '0002_consent_and_own_visits'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='page',
            name='per_day',
            field=models.FloatField(null=True),
        ),
        migrations.AddField(
            model_name='page',
            name='stopped_at',
            field=models.DateTimeField(null=True),
        ),
        migrations.CreateModel(
            name='KitLink',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('token', models.CharField(default=clabo.collect.models.new_kit_token, max_length=64, unique=True)),
                ('email', models.EmailField(blank=True, max_length=254)),
                ('note', models.CharField(blank=True, max_length=1000)),
                ('created_at', models.DateTimeField(auto_now_add=True)),
                ('expires_at', models.DateTimeField()),
                ('created_by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, to=settings.AUTH_USER_MODEL)),
                ('site', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='sites.site')),
            ],
        ),
        migrations.CreateModel(
            name='ListedPage',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('host', models.CharField(max_length=260)),
                ('path', models.TextField()),
                ('source', models.CharField(choices=[('pasted', 'Pasted'), ('sitemap', 'Sitemap'), ('link', 'Link')], max_length=10)),
                ('listed_at', models.DateTimeField(auto_now_add=True)),
                ('site', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='sites.site')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('site', 'host', 'path'), name='listed_once')],
            },
        ),
        migrations.CreateModel(
            name='PageCheck',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('host', models.CharField(max_length=260)),
                ('path', models.TextField()),
                ('checked_at', models.DateTimeField()),
                ('findings', models.JSONField()),
                ('site', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='sites.site')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('site', 'host', 'path'), name='check_once')],
            },
        ),
    ]
