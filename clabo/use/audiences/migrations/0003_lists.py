"""Lists of identities."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('audiences', '0002_taking'),
        ('sites', '0002_audience_floors'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='IdentityList',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('kind', models.CharField(choices=[('email', 'email'), ('id', 'id')], max_length=5)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('made_by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, to=settings.AUTH_USER_MODEL)),
                ('site', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='sites.site')),
            ],
        ),
        migrations.CreateModel(
            name='Listed',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('hash', models.BinaryField(max_length=32)),
                ('list', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='listed', to='audiences.identitylist')),
            ],
        ),
        migrations.AddConstraint(
            model_name='identitylist',
            constraint=models.UniqueConstraint(fields=('site', 'name'), name='list_name_once'),
        ),
        migrations.AddConstraint(
            model_name='listed',
            constraint=models.UniqueConstraint(fields=('list', 'hash'), name='listed_identity_once'),
        ),
    ]
