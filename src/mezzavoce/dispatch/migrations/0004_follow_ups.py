"""Follow-ups, copies, covering words, files attached as chosen, replies, reminders, excerpts as proposed."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('dispatch', '0003_labels'),
        ('library', '0008_contact_parts'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RemoveField(
            model_name='dispatch',
            name='csv_name',
        ),
        migrations.RemoveField(
            model_name='dispatch',
            name='csv_text',
        ),
        migrations.AddField(
            model_name='delivery',
            name='subject',
            field=models.CharField(default='', max_length=200),
        ),
        migrations.AddField(
            model_name='dispatch',
            name='attached',
            field=models.JSONField(default=list),
        ),
        migrations.AddField(
            model_name='dispatch',
            name='covering',
            field=models.TextField(blank=True),
        ),
        migrations.AddField(
            model_name='dispatch',
            name='follows',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='dispatch.dispatch'),
        ),
        migrations.AddField(
            model_name='dispatch',
            name='remarks',
            field=models.JSONField(default=list),
        ),
        migrations.AddField(
            model_name='dispatch',
            name='reminds',
            field=models.BooleanField(default=False),
        ),
        migrations.AddField(
            model_name='dispatchitem',
            name='news',
            field=models.CharField(choices=[('new', 'new'), ('changed', 'changed'), ('withdrawn', 'withdrawn')], default='new', max_length=10),
        ),
        migrations.AddField(
            model_name='excerpt',
            name='proposed',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='library.storedfile'),
        ),
        migrations.AddField(
            model_name='recipient',
            name='is_copy',
            field=models.BooleanField(default=False),
        ),
        migrations.AddField(
            model_name='recipient',
            name='items',
            field=models.ManyToManyField(related_name='recipients', to='dispatch.dispatchitem'),
        ),
        migrations.AddField(
            model_name='recipient',
            name='opened_at',
            field=models.DateTimeField(null=True),
        ),
        migrations.CreateModel(
            name='Reminder',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('attempts', models.PositiveIntegerField(default=0)),
                ('lease_holder', models.CharField(blank=True, max_length=40)),
                ('lease_until', models.DateTimeField(null=True)),
                ('next_try', models.DateTimeField(null=True)),
                ('error', models.TextField(blank=True)),
                ('state', models.CharField(choices=[('prepared', 'prepared'), ('waiting', 'waiting'), ('running', 'being sent'), ('sent', 'sent'), ('failed', 'failed'), ('unknown', 'nobody knows')], db_index=True, default='prepared', max_length=10)),
                ('recipient', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='reminder', to='dispatch.recipient')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Reply',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('attempts', models.PositiveIntegerField(default=0)),
                ('lease_holder', models.CharField(blank=True, max_length=40)),
                ('lease_until', models.DateTimeField(null=True)),
                ('next_try', models.DateTimeField(null=True)),
                ('error', models.TextField(blank=True)),
                ('state', models.CharField(choices=[('prepared', 'prepared'), ('waiting', 'waiting'), ('running', 'being sent'), ('sent', 'sent'), ('failed', 'failed'), ('unknown', 'nobody knows')], db_index=True, default='prepared', max_length=10)),
                ('text', models.TextField()),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('answer', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='replies', to='dispatch.answer')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['id'],
            },
        ),
    ]
