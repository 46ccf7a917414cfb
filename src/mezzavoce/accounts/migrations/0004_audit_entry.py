"""A thing that a person did is an entry of the audit trail."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("accounts", "0003_answers_by_mail"), ("library", "0004_one_queue")]
    operations = [
        migrations.RenameModel("Change", "AuditEntry"),
        migrations.AlterField(
            "auditentry",
            "actor",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.PROTECT,
                related_name="audit_entries",
                to=settings.AUTH_USER_MODEL,
            ),
        ),
        migrations.AlterField(
            "auditentry",
            "production",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.PROTECT,
                related_name="audit_entries",
                to="library.production",
            ),
        ),
    ]
