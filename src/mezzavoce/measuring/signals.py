"""What this app tells the ones above it."""

from django.dispatch import Signal

judged = Signal()
"""A judgement with its findings was stored; sent inside the transaction with ``judgement``."""
