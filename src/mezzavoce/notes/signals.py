"""What this app tells the ones above it."""

from django.dispatch import Signal

followed = Signal()
"""What became of the marks of the mix before is known; sent inside the transaction of a judgement with ``mix`` and
``beside`` (``former.Beside``)."""
