"""Weight, addressee, remedy and wording of notes by hand; notes joined into one; wordings of a production."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('library', '0008_contact_parts'),
        ('notes', '0007_carried'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='note',
            name='addressee',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='library.contact'),
        ),
        migrations.AddField(
            model_name='note',
            name='alone',
            field=models.JSONField(null=True),
        ),
        migrations.AddField(
            model_name='note',
            name='choice',
            field=models.SmallIntegerField(default=0),
        ),
        migrations.AddField(
            model_name='note',
            name='joined_into',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='joined', to='notes.note'),
        ),
        migrations.AddField(
            model_name='note',
            name='own_points',
            field=models.JSONField(null=True),
        ),
        migrations.AddField(
            model_name='note',
            name='proposed_then',
            field=models.TextField(blank=True),
        ),
        migrations.AddField(
            model_name='note',
            name='severity_by_hand',
            field=models.BooleanField(default=False),
        ),
        migrations.AlterField(
            model_name='note',
            name='state',
            field=models.CharField(choices=[('written', 'written'), ('sent', 'sent'), ('withdrawn', 'withdrawn'), ('joined', 'joined into another')], default='written', max_length=10),
        ),
        migrations.CreateModel(
            name='Wording',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=40)),
                ('template', models.TextField()),
                ('at', models.DateTimeField(auto_now=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('production', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='wordings', to='library.production')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('production', 'kind'), name='one_wording_a_kind')],
            },
        ),
    ]
