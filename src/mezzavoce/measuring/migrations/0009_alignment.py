"""A new mix is laid beside the one before it."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("measuring", "0008_revisited"), ("library", "0007_kept_for_days")]
    operations = [
        migrations.CreateModel(
            "Alignment",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("pieces", models.JSONField(default=dict)),
                ("problem", models.TextField(blank=True)),
                (
                    "former",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="+", to="library.mix"
                    ),
                ),
                (
                    "mix",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE, related_name="alignment", to="library.mix"
                    ),
                ),
            ],
        )
    ]
