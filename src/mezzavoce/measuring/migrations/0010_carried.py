"""What was said of the mix before and goes along to a new one."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('measuring', '0009_alignment'),
    ]

    operations = [
        migrations.AddField(
            model_name='alignment',
            name='carried',
            field=models.JSONField(default=dict),
        ),
        migrations.AddField(
            model_name='correction',
            name='carried_from',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='measuring.correction'),
        ),
    ]
