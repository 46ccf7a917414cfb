"""A region of speech whose ends are moved leaves nothing behind of what it was."""

from typing import ClassVar

from django.db import migrations, models
from django.db.migrations.operations.base import Operation


class Migration(migrations.Migration):
    """The region that a correction stands for, in samples."""

    dependencies: ClassVar[list[tuple[str, str]]] = [("measuring", "0005_judged_again_in_place")]

    operations: ClassVar[list[Operation]] = [
        migrations.AddField("correction", "instead_in_sample", models.PositiveBigIntegerField(null=True)),
        migrations.AddField("correction", "instead_out_sample", models.PositiveBigIntegerField(null=True)),
    ]
