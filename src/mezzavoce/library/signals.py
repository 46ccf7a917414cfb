"""What this app tells the ones above it."""

from django.dispatch import Signal

taken_in = Signal()
"""A person took in a mix; sent inside the transaction with ``mix`` and ``person``."""
