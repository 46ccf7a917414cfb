"""Where a mark lies in a mix, and what was found there, apart from what the mark is."""

import django.db.models.deletion
from django.db import migrations, models


def place(apps, schema_editor):
    """Every mark lies in the mix in which it was found."""
    marks, placements = (apps.get_model("notes", name).objects for name in ("Mark", "Placement"))
    names = ("in_sample", "out_sample", "severity", "title", "evidence")
    some = []
    for mark in marks.iterator(chunk_size=200):
        kept = {name: getattr(mark, name) for name in names}
        some.append(placements.model(mark_id=mark.pk, mix_id=mark.mix_id, **kept))
        if len(some) == 200:
            placements.bulk_create(some)
            some = []
    placements.bulk_create(some)


class Migration(migrations.Migration):
    dependencies = [("notes", "0004_labels"), ("library", "0005_ingested")]
    operations = [
        migrations.CreateModel(
            "Placement",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("in_sample", models.PositiveBigIntegerField()),
                ("out_sample", models.PositiveBigIntegerField()),
                ("severity", models.CharField(max_length=6)),
                ("title", models.CharField(max_length=120)),
                ("evidence", models.JSONField()),
                (
                    "mark",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="placements", to="notes.mark"
                    ),
                ),
                (
                    "mix",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="placements", to="library.mix"
                    ),
                ),
            ],
            options={"ordering": ["in_sample", "id"]},
        ),
        migrations.AddConstraint(
            "placement", models.UniqueConstraint(fields=["mix", "mark"], name="one_placement_a_mix")
        ),
        migrations.RunPython(place, migrations.RunPython.noop),
        migrations.AlterModelOptions("mark", options={"ordering": ["id"]}),
        *(migrations.RemoveField("mark", name) for name in ("in_sample", "out_sample", "severity", "title", "evidence")),
    ]
