
import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('conversions', '0001_initial'),
    ]

    operations = [
        migrations.CreateModel(
            name='Recount',
            fields=[
                ('rule', models.OneToOneField(db_constraint=False, on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='+', serialize=False, to='conversions.conversionrule')),
                ('done', models.PositiveIntegerField(default=0)),
                ('total', models.PositiveIntegerField(default=0)),
            ],
        ),
        migrations.AddField(
            model_name='conversion',
            name='currency',
            field=models.CharField(blank=True, default='', max_length=3),
        ),
        migrations.AddField(
            model_name='conversion',
            name='order',
            field=models.CharField(blank=True, default='', max_length=100),
        ),
        migrations.AddField(
            model_name='conversionrule',
            name='lifetime_factor',
            field=models.DecimalField(decimal_places=4, max_digits=8, null=True),
        ),
        migrations.AddField(
            model_name='conversionrule',
            name='value_property',
            field=models.CharField(blank=True, default='', max_length=60),
        ),
        migrations.AddField(
            model_name='ruleversion',
            name='added',
            field=models.PositiveIntegerField(null=True),
        ),
        migrations.AddField(
            model_name='ruleversion',
            name='changed_since',
            field=models.DateTimeField(null=True),
        ),
        migrations.AddField(
            model_name='ruleversion',
            name='removed',
            field=models.PositiveIntegerField(null=True),
        ),
    ]
