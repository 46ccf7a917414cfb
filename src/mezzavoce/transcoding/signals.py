"""What this app tells the ones above it."""

from django.dispatch import Signal

playback_ready = Signal()
"""Picture and sound of a ``mix`` are there for the browser; sent inside the transaction."""
