"""What sites state of who somebody is; browsers that are one person's."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('events', '0002_visitor_number'),
        ('sites', '0002_audience_floors'),
    ]

    operations = [
        migrations.CreateModel(
            name='Identity',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('email', 'email'), ('id', 'id')], max_length=5)),
                ('hash', models.BinaryField(max_length=32)),
                ('off', models.BooleanField(default=False)),
            ],
        ),
        migrations.CreateModel(
            name='Statement',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('first_at', models.DateTimeField()),
            ],
        ),
        migrations.AddField(
            model_name='event',
            name='via',
            field=models.ForeignKey(db_constraint=False, db_index=False, null=True, on_delete=django.db.models.deletion.DO_NOTHING, related_name='+', to='events.visitor'),
        ),
        migrations.AddField(
            model_name='visitor',
            name='joined_to',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='joined', to='events.visitor'),
        ),
        migrations.AddIndex(
            model_name='event',
            index=models.Index(condition=models.Q(('via__isnull', False)), fields=['site', 'via'], name='event_by_via'),
        ),
        migrations.AddField(
            model_name='identity',
            name='site',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='sites.site'),
        ),
        migrations.AddField(
            model_name='statement',
            name='identity',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='statements', to='events.identity'),
        ),
        migrations.AddField(
            model_name='statement',
            name='visitor',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='statements', to='events.visitor'),
        ),
        migrations.AddConstraint(
            model_name='identity',
            constraint=models.UniqueConstraint(fields=('site', 'kind', 'hash'), name='identity_once'),
        ),
        migrations.AddConstraint(
            model_name='statement',
            constraint=models.UniqueConstraint(fields=('identity', 'visitor'), name='stated_once'),
        ),
    ]
