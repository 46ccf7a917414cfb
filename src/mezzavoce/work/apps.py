"""See the package."""

from django.apps import AppConfig


class WorkConfig(AppConfig):
    """The app's label and name."""

    name = "mezzavoce.work"
