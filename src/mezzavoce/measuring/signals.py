"""What this app tells the ones above it."""

from django.dispatch import Signal

judged = Signal()
"""A judgement was stored; sent inside the transaction with ``judgement`` and its ``findings``, which are stored
afterwards."""
