
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('collect', '0005_uncounted_visits'),
    ]

    operations = [
        migrations.CreateModel(
            name='Attendance',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('from_at', models.DateTimeField()),
                ('until_at', models.DateTimeField(db_index=True)),
            ],
        ),
    ]
