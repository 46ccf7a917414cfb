"""Notes for all programmes of a production."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('library', '0008_contact_parts'),
        ('notes', '0009_placed_by_hand'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='SeriesNote',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('title', models.CharField(max_length=120)),
                ('text', models.TextField()),
                ('severity', models.CharField(max_length=6)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('withdrawn', models.DateTimeField(null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('production', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='series_notes', to='library.production')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
    ]
