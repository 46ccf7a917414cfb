"""Mixes are ingested."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("library", "0004_one_queue")]
    operations = [
        migrations.RenameField("mix", "taken_in_by", "ingested_by"),
        migrations.RenameField("mix", "taken_in_at", "ingested_at"),
    ]
