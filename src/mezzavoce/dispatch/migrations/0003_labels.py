"""What was sent of a note names its mark's label as the rest of the application does."""

from django.db import migrations


def rename(old, new):
    def forwards(apps, schema_editor):
        items = apps.get_model("dispatch", "DispatchItem").objects
        for item in items.only("pk", "content").iterator(chunk_size=200):
            if old in item.content:
                item.content[new] = item.content.pop(old)
                items.filter(pk=item.pk).update(content=item.content)

    return forwards


class Migration(migrations.Migration):
    dependencies = [("dispatch", "0002_one_queue")]
    operations = [migrations.RunPython(rename("letters", "label"), rename("label", "letters"))]
