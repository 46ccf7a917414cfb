"""How sure a finding is, beside its placement."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('notes', '0010_series_notes'),
    ]

    operations = [
        migrations.AddField(
            model_name='placement',
            name='certainty',
            field=models.FloatField(default=1.0),
        ),
    ]
