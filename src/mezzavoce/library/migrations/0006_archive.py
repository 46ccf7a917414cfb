"""Usual frame rate and start of a production, and the archive."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("library", "0005_ingested")]
    operations = [
        migrations.AddField("production", "frame_rate", models.CharField(blank=True, default="", max_length=16), False),
        migrations.AddField(
            "production", "start_timecode", models.CharField(blank=True, default="", max_length=16), False
        ),
        migrations.AddField("production", "archived", models.BooleanField(default=False)),
    ]
