"""The title of a mark in a column of its own, taken from its evidence."""

from django.db import migrations, models


def fill(apps, schema_editor):
    marks = apps.get_model("notes", "Mark").objects
    for mark in marks.only("pk", "evidence").iterator(chunk_size=200):
        marks.filter(pk=mark.pk).update(title=mark.evidence.get("title", "")[:120])


class Migration(migrations.Migration):
    dependencies = [("notes", "0002_more_by_hand")]
    operations = [
        migrations.AddField("mark", "title", models.CharField(default="", max_length=120), preserve_default=False),
        migrations.RunPython(fill, migrations.RunPython.noop),
    ]
