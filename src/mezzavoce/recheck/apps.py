"""Mix against mix: what became of every note, confirmed by a person."""

from django.apps import AppConfig


class RecheckConfig(AppConfig):
    """The app's label and name; what became of notes is kept when a new mix is judged."""

    name = "mezzavoce.recheck"

    def ready(self) -> None:
        """Listen for what became of marks."""
        from . import receivers  # noqa: F401  (connecting is the purpose)
