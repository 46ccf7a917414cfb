"""Which parts of the sound an addressee mends."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('library', '0007_kept_for_days'),
    ]

    operations = [
        migrations.AddField(
            model_name='contact',
            name='takes',
            field=models.CharField(blank=True, max_length=60),
        ),
    ]
