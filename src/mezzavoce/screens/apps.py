"""See the package."""

from django.apps import AppConfig


class ScreensConfig(AppConfig):
    """The app's label and name."""

    name = "mezzavoce.screens"
