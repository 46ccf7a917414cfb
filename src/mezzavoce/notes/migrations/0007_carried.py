"""A decision on the mix before that goes on counting says where it came from."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("notes", "0006_labels_given")]
    operations = [
        migrations.AddField(
            "decision",
            "carried_from",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="notes.decision"
            ),
        )
    ]
