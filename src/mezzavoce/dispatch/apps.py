"""See the package."""

from django.apps import AppConfig


class DispatchConfig(AppConfig):
    """The app's label and name; passages are cut when picture and sound are there."""

    name = "mezzavoce.dispatch"

    def ready(self) -> None:
        """Listen for playback."""
        from . import receivers  # noqa: F401  (connecting is the purpose)
