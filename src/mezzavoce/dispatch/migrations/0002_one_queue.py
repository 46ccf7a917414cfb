"""Mails and excerpts are work with a lease; a personal link knows when it was made."""

import django.db.models.deletion
import django.utils.timezone
from django.db import migrations, models


def take_over(apps, schema_editor):
    """Excerpts that are there stay; links were made when their dispatch was prepared."""
    Item, Excerpt, Recipient = (apps.get_model("dispatch", name) for name in ("DispatchItem", "Excerpt", "Recipient"))
    sent = Item.objects.filter(dispatch__state="sent")
    Excerpt.objects.bulk_create(
        [
            Excerpt(item=item, clip_id=item.excerpt_before_id, still_id=item.still_id, state="ready" if item.excerpt_before_id else "waiting")
            for item in sent
        ]
    )
    for recipient in Recipient.objects.select_related("dispatch"):
        recipient.made_at = recipient.dispatch.prepared_at
        recipient.save(update_fields=["made_at"])


class Migration(migrations.Migration):

    dependencies = [
        ('dispatch', '0001_initial'),
        ('library', '0004_one_queue'),
    ]

    operations = [
        migrations.RenameField('dispatchitem', 'excerpt', 'excerpt_before'),
        migrations.AddField(
            model_name='delivery',
            name='lease_holder',
            field=models.CharField(blank=True, max_length=40),
        ),
        migrations.AddField(
            model_name='delivery',
            name='lease_until',
            field=models.DateTimeField(null=True),
        ),
        migrations.AddField(
            model_name='delivery',
            name='sent_at',
            field=models.DateTimeField(null=True),
        ),
        migrations.AddField(
            model_name='dispatch',
            name='answers_by_mail',
            field=models.BooleanField(default=False),
        ),
        migrations.AddField(
            model_name='recipient',
            name='made_at',
            field=models.DateTimeField(auto_now_add=True, default=django.utils.timezone.now),
            preserve_default=False,
        ),
        migrations.AlterField(
            model_name='delivery',
            name='error',
            field=models.TextField(blank=True),
        ),
        migrations.AlterField(
            model_name='delivery',
            name='state',
            field=models.CharField(choices=[('prepared', 'prepared'), ('waiting', 'waiting'), ('running', 'being sent'), ('sent', 'sent'), ('failed', 'failed'), ('unknown', 'nobody knows')], db_index=True, default='prepared', max_length=10),
        ),
        migrations.CreateModel(
            name='Excerpt',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('attempts', models.PositiveIntegerField(default=0)),
                ('lease_holder', models.CharField(blank=True, max_length=40)),
                ('lease_until', models.DateTimeField(null=True)),
                ('next_try', models.DateTimeField(null=True)),
                ('error', models.TextField(blank=True)),
                ('state', models.CharField(choices=[('waiting', 'waiting'), ('running', 'being made'), ('ready', 'ready'), ('failed', 'failed')], db_index=True, default='waiting', max_length=10)),
                ('clip', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='library.storedfile')),
                ('item', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='excerpt', to='dispatch.dispatchitem')),
                ('still', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='library.storedfile')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Notice',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('attempts', models.PositiveIntegerField(default=0)),
                ('lease_holder', models.CharField(blank=True, max_length=40)),
                ('lease_until', models.DateTimeField(null=True)),
                ('next_try', models.DateTimeField(null=True)),
                ('error', models.TextField(blank=True)),
                ('state', models.CharField(choices=[('prepared', 'prepared'), ('waiting', 'waiting'), ('running', 'being sent'), ('sent', 'sent'), ('failed', 'failed'), ('unknown', 'nobody knows')], db_index=True, default='prepared', max_length=10)),
                ('told', models.PositiveBigIntegerField(default=0)),
                ('dispatch', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='notice', to='dispatch.dispatch')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.RunPython(take_over, migrations.RunPython.noop),
        migrations.RemoveField(
            model_name='dispatchitem',
            name='excerpt_before',
        ),
        migrations.RemoveField(
            model_name='dispatchitem',
            name='still',
        ),
    ]
