"""The music as the notes would have it, written where somebody asks for it."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('dispatch', '0005_what_was_sent_before'),
        ('library', '0008_contact_parts'),
    ]

    operations = [
        migrations.CreateModel(
            name='ProposedMusic',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('attempts', models.PositiveIntegerField(default=0)),
                ('lease_holder', models.CharField(blank=True, max_length=40)),
                ('lease_until', models.DateTimeField(null=True)),
                ('next_try', models.DateTimeField(null=True)),
                ('error', models.TextField(blank=True)),
                ('state', models.CharField(choices=[('waiting', 'waiting'), ('running', 'being made'), ('ready', 'ready'), ('failed', 'failed')], db_index=True, default='waiting', max_length=10)),
                ('dispatch', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='proposed_music', to='dispatch.dispatch')),
                ('file', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='library.storedfile')),
            ],
            options={
                'abstract': False,
            },
        ),
    ]
