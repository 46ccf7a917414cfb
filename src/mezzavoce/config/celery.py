"""The queue. A message only wakes a worker; what there is to do stands in the database."""

import os

from celery import Celery

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mezzavoce.config.settings")

app = Celery("mezzavoce")
app.config_from_object("django.conf:settings", namespace="CELERY")
app.autodiscover_tasks()
