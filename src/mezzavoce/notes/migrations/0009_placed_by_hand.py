"""Where a person says that a mark lies in a new mix."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('library', '0008_contact_parts'),
        ('notes', '0008_more_of_notes'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='PlacedByHand',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('in_sample', models.PositiveBigIntegerField()),
                ('out_sample', models.PositiveBigIntegerField()),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('withdrawn', models.DateTimeField(null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('mark', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='placed_by_hand', to='notes.mark')),
                ('mix', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='placed_by_hand', to='library.mix')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
    ]
