"""Marks, decisions and notes: what people did. None of it is ever derived again."""

from django.apps import AppConfig


class NotesConfig(AppConfig):
    """The app's label and name; marks are given when a judgement is made."""

    name = "mezzavoce.notes"

    def ready(self) -> None:
        """Listen for judgements."""
        from . import receivers  # noqa: F401  (connecting is the purpose)
