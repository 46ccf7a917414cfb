"""Light and the words that were put away belong to a person, wherever they sign in."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("accounts", "0005_administrators")]
    operations = [
        migrations.AddField("person", "light", models.CharField(blank=True, default="", max_length=5), False),
        migrations.AddField("person", "put_away", models.JSONField(blank=True, default=list)),
    ]
