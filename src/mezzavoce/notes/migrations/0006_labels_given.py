"""How many labels were given is counted with the programme: so far as many as it has marks."""

from django.db import migrations
from django.db.models import Count


def _count(apps, _schema_editor):
    marks = apps.get_model("notes", "Mark").objects.order_by().values_list("programme").annotate(n=Count("pk"))
    for programme, given in marks:
        apps.get_model("library", "Programme").objects.filter(pk=programme).update(labels_given=given)


class Migration(migrations.Migration):
    dependencies = [("notes", "0005_placements"), ("library", "0007_kept_for_days")]
    operations = [migrations.RunPython(_count, migrations.RunPython.noop)]
