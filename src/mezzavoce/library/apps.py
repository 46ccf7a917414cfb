"""See the package."""

from django.apps import AppConfig


class LibraryConfig(AppConfig):
    """The app's label and name."""

    name = "mezzavoce.library"
