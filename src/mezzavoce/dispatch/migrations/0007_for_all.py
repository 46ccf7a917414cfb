"""Notes for all programmes of a production."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('dispatch', '0006_proposed_music'),
    ]

    operations = [
        migrations.AddField(
            model_name='dispatch',
            name='for_all',
            field=models.JSONField(default=list),
        ),
    ]
