"""Programmes are archived one by one, sound and picture go after some days, addressees are looked after."""

from django.db import migrations, models
from django.utils import timezone


def _say_when(apps, _schema_editor):
    apps.get_model("library", "Production").objects.filter(archived=True).update(archived_at=timezone.now())


class Migration(migrations.Migration):
    dependencies = [("library", "0006_archive")]
    operations = [
        migrations.AddField("production", "archived_at", models.DateTimeField(null=True)),
        migrations.RunPython(_say_when, migrations.RunPython.noop),
        migrations.RemoveField("production", "archived"),
        migrations.AddField("production", "media_days", models.PositiveIntegerField(null=True)),
        migrations.AddField("programme", "archived_at", models.DateTimeField(null=True)),
        migrations.AddField("programme", "labels_given", models.PositiveIntegerField(default=0)),
        migrations.AddField("storedfile", "removed_at", models.DateTimeField(null=True)),
        migrations.AddField("contact", "usual", models.BooleanField(default=False)),
        migrations.AddField("contact", "taken_off", models.BooleanField(default=False)),
    ]
