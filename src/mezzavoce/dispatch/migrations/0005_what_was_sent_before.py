"""Links that were made before notes were picked by addressee show all notes of their dispatch, as they did."""

from django.db import migrations


def fill(apps, _schema_editor):
    """Every link with every note; subject and attached table as they went out."""
    recipients = apps.get_model("dispatch", "Recipient")
    deliveries = apps.get_model("dispatch", "Delivery")
    for recipient in recipients.objects.select_related("dispatch").iterator():
        recipient.items.set(recipient.dispatch.items.all())
        deliveries.objects.filter(recipient=recipient).update(subject=recipient.dispatch.subject)
    apps.get_model("dispatch", "Dispatch").objects.update(attached=["csv"])


class Migration(migrations.Migration):
    dependencies = [("dispatch", "0004_follow_ups")]
    operations = [migrations.RunPython(fill, migrations.RunPython.noop)]
