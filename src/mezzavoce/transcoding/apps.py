"""See the package."""

from django.apps import AppConfig


class TranscodingConfig(AppConfig):
    """The app's label and name."""

    name = "mezzavoce.transcoding"
