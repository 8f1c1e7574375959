import django.db.models.deletion
from django.db import migrations, models

from clabo.core.addresses import canonical_query


def fill_in(apps, schema_editor):
    """What earlier events did not say: how many views their visit had had, and one spelling of queries."""
    with schema_editor.connection.cursor() as cursor:
        cursor.execute(
            """
            UPDATE collect_event e SET views = s.views
            FROM (
                SELECT site_id, time, id,
                    count(*) FILTER (WHERE kind = 1) OVER (PARTITION BY visit_id ORDER BY time, id) AS views
                FROM collect_event
            ) s
            WHERE (e.site_id, e.time, e.id) = (s.site_id, s.time, s.id) AND e.views <> s.views
            """
        )
        cursor.execute("SELECT DISTINCT query FROM collect_event WHERE query <> ''")
        changed = [
            (old, new) for (old,) in cursor.fetchall() if (new := canonical_query("?" + old)) != old
        ]
        if changed:
            cursor.execute("CREATE TEMPORARY TABLE spelling (old text, new text) ON COMMIT DROP")
            cursor.executemany("INSERT INTO spelling VALUES (%s, %s)", changed)
            cursor.execute("UPDATE collect_event SET query = new FROM spelling WHERE query = old")


class Migration(migrations.Migration):

    dependencies = [
        ('collect', '0001_initial'),
        ('sites', '0002_consent_and_own_visits'),
    ]

    operations = [
        migrations.CreateModel(
            name='DailySalt',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('day', models.DateField(unique=True)),
                ('salt', models.BinaryField()),
            ],
        ),
        migrations.AddField(
            model_name='event',
            name='order',
            field=models.CharField(blank=True, db_default='', max_length=100),
        ),
        migrations.AddField(
            model_name='event',
            name='views',
            field=models.PositiveIntegerField(db_default=1, default=1),
        ),
        migrations.AlterField(
            model_name='event',
            name='kind',
            field=models.PositiveSmallIntegerField(choices=[(1, 'View'), (2, 'Mark'), (3, 'Note'), (4, 'Form'), (5, 'Tried'), (6, 'Click'), (7, 'Message'), (8, 'Shown'), (9, 'Stay'), (10, 'Scroll'), (11, 'Step'), (12, 'Sale')]),
        ),
        migrations.CreateModel(
            name='Element',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.PositiveSmallIntegerField(choices=[(1, 'View'), (2, 'Mark'), (3, 'Note'), (4, 'Form'), (5, 'Tried'), (6, 'Click'), (7, 'Message'), (8, 'Shown'), (9, 'Stay'), (10, 'Scroll'), (11, 'Step'), (12, 'Sale')])),
                ('traits', models.JSONField()),
                ('fingerprint', models.CharField(max_length=32)),
                ('first_at', models.DateTimeField()),
                ('last_at', models.DateTimeField()),
                ('times', models.PositiveBigIntegerField(default=0)),
                ('site', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='sites.site')),
            ],
        ),
        migrations.AddField(
            model_name='event',
            name='element',
            field=models.ForeignKey(db_constraint=False, db_index=False, null=True, on_delete=django.db.models.deletion.DO_NOTHING, to='collect.element'),
        ),
        migrations.RunPython(fill_in, migrations.RunPython.noop),
        migrations.AddIndex(
            model_name='event',
            index=models.Index(condition=models.Q(('kind__gt', 1)), fields=['site', 'kind', 'time'], name='event_by_kind'),
        ),
        migrations.AddIndex(
            model_name='event',
            index=models.Index(condition=models.Q(('element__isnull', False)), fields=['site', 'element', 'time'], name='event_by_element'),
        ),
        migrations.AddIndex(
            model_name='event',
            index=models.Index(condition=models.Q(('name', ''), _negated=True), fields=['site', 'name', 'time'], name='event_by_name'),
        ),
        migrations.AddIndex(
            model_name='event',
            index=models.Index(condition=models.Q(('order', ''), _negated=True), fields=['site', 'order'], name='event_by_order'),
        ),
        migrations.AddConstraint(
            model_name='element',
            constraint=models.UniqueConstraint(fields=('site', 'kind', 'fingerprint'), name='element_once'),
        ),
    ]
