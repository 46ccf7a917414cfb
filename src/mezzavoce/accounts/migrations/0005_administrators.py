"""Administrators, and signing somebody out everywhere."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("accounts", "0004_audit_entry")]
    operations = [
        migrations.AddField("person", "is_administrator", models.BooleanField(default=False)),
        migrations.AddField("person", "session_round", models.PositiveIntegerField(default=0)),
    ]
