"""The pictures of two mixes compared, where the sound is the same."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('measuring', '0010_carried'),
    ]

    operations = [
        migrations.CreateModel(
            name='PictureComparison',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('attempts', models.PositiveIntegerField(default=0)),
                ('lease_holder', models.CharField(blank=True, max_length=40)),
                ('lease_until', models.DateTimeField(null=True)),
                ('next_try', models.DateTimeField(null=True)),
                ('error', models.TextField(blank=True)),
                ('state', models.CharField(choices=[('waiting', 'waiting'), ('running', 'being made'), ('ready', 'ready'), ('failed', 'failed')], db_index=True, default='waiting', max_length=10)),
                ('spans', models.JSONField(default=list)),
                ('alignment', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='pictures', to='measuring.alignment')),
            ],
            options={
                'abstract': False,
            },
        ),
    ]
