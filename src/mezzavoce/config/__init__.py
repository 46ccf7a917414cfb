"""Settings, addresses and the queue."""

from .celery import app as celery_app

__all__ = ["celery_app"]
