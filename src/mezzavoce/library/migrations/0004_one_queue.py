"""Playback is work with a lease of its own; uploads and looks through files are done by a worker."""

import django.db.models.deletion
import django.utils.timezone
from django.db import migrations, models


def take_over(apps, schema_editor):
    """Each mix keeps its picture and sound; what was being made is made anew."""
    Mix, Playback = apps.get_model("library", "Mix"), apps.get_model("library", "Playback")
    states = {"ready": "ready", "failed": "failed"}
    rows = [
        Playback(mix=mix, file_id=mix.playback_before_id, state=states.get(mix.playback_state, "waiting"), error=mix.playback_error)
        for mix in Mix.objects.all()
    ]
    Playback.objects.bulk_create(rows)


class Migration(migrations.Migration):

    dependencies = [
        ('library', '0003_more_by_hand'),
    ]

    operations = [
        migrations.RenameField('mix', 'playback', 'playback_before'),
        migrations.AddField(
            model_name='upload',
            name='attempts',
            field=models.PositiveIntegerField(default=0),
        ),
        migrations.AddField(
            model_name='upload',
            name='error',
            field=models.TextField(blank=True),
        ),
        migrations.AddField(
            model_name='upload',
            name='file',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='uploads', to='library.storedfile'),
        ),
        migrations.AddField(
            model_name='upload',
            name='lease_holder',
            field=models.CharField(blank=True, max_length=40),
        ),
        migrations.AddField(
            model_name='upload',
            name='lease_until',
            field=models.DateTimeField(null=True),
        ),
        migrations.AddField(
            model_name='upload',
            name='modified',
            field=models.PositiveBigIntegerField(null=True),
        ),
        migrations.AddField(
            model_name='upload',
            name='next_try',
            field=models.DateTimeField(null=True),
        ),
        migrations.AddField(
            model_name='upload',
            name='state',
            field=models.CharField(choices=[('arriving', 'arriving'), ('waiting', 'waiting'), ('running', 'being looked at'), ('ready', 'ready'), ('failed', 'refused')], db_index=True, default='arriving', max_length=10),
        ),
        migrations.AddField(
            model_name='upload',
            name='touched',
            field=models.DateTimeField(auto_now=True, default=django.utils.timezone.now),
            preserve_default=False,
        ),
        migrations.CreateModel(
            name='Playback',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('attempts', models.PositiveIntegerField(default=0)),
                ('lease_holder', models.CharField(blank=True, max_length=40)),
                ('lease_until', models.DateTimeField(null=True)),
                ('next_try', models.DateTimeField(null=True)),
                ('error', models.TextField(blank=True)),
                ('state', models.CharField(choices=[('waiting', 'waiting'), ('running', 'being made'), ('ready', 'ready'), ('failed', 'failed')], db_index=True, default='waiting', max_length=10)),
                ('file', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='library.storedfile')),
                ('mix', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='playback', to='library.mix')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Survey',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('attempts', models.PositiveIntegerField(default=0)),
                ('lease_holder', models.CharField(blank=True, max_length=40)),
                ('lease_until', models.DateTimeField(null=True)),
                ('next_try', models.DateTimeField(null=True)),
                ('error', models.TextField(blank=True)),
                ('in_pairs', models.BooleanField(default=False)),
                ('state', models.CharField(choices=[('waiting', 'waiting'), ('running', 'being made'), ('ready', 'ready'), ('failed', 'failed')], db_index=True, default='waiting', max_length=10)),
                ('file', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='look', to='library.storedfile')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.RunPython(take_over, migrations.RunPython.noop),
        migrations.RemoveField(
            model_name='mix',
            name='playback_before',
        ),
        migrations.RemoveField(
            model_name='mix',
            name='playback_error',
        ),
        migrations.RemoveField(
            model_name='mix',
            name='playback_lease',
        ),
        migrations.RemoveField(
            model_name='mix',
            name='playback_state',
        ),
    ]
