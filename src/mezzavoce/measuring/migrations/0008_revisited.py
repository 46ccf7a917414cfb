"""What a judgement looked at again, under the name that the core has for it."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("measuring", "0007_one_queue")]
    operations = [migrations.RenameField("judgement", "again", "revisited")]
