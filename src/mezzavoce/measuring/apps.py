"""Runs, judgements and findings: all of it can be thrown away and made again."""

from django.apps import AppConfig


class MeasuringConfig(AppConfig):
    """The app's label and name; what is ingested is measured."""

    name = "mezzavoce.measuring"

    def ready(self) -> None:
        """Listen for ingested mixes."""
        from . import receivers  # noqa: F401  (connecting is the purpose)
