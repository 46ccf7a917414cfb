"""See the package."""

from django.apps import AppConfig


class DispatchConfig(AppConfig):
    """The app's label and name."""

    name = "mezzavoce.dispatch"
