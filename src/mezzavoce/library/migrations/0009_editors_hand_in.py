"""Whether editors may hand new mixes in through their links."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('library', '0008_contact_parts'),
    ]

    operations = [
        migrations.AddField(
            model_name='production',
            name='editors_hand_in',
            field=models.BooleanField(default=False),
        ),
    ]
