"""A judgement that is made again keeps its row, and tells when that was."""

from typing import ClassVar

from django.db import migrations, models
from django.db.migrations.operations.base import Operation


class Migration(migrations.Migration):
    """``created`` becomes ``judged_at``."""

    dependencies: ClassVar[list[tuple[str, str]]] = [("measuring", "0004_remembered")]

    operations: ClassVar[list[Operation]] = [
        migrations.RenameField("judgement", "created", "judged_at"),
        migrations.AlterField("judgement", "judged_at", models.DateTimeField(auto_now=True)),
    ]
