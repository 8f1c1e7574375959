"""Days are packed anew: what is packed now knows the visit of everything."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("presence", "0002_trail_version")]

    operations = [
        migrations.RunSQL("UPDATE presence_trail SET data = NULL", "UPDATE presence_trail SET data = NULL"),
    ]
