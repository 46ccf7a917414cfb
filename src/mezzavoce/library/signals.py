"""What this app tells the ones above it."""

from django.dispatch import Signal

ingested = Signal()
"""A person ingested a mix; sent inside the transaction with ``mix`` and ``person``."""

sweeping = Signal()
"""What nothing points at is about to be removed; sent with ``dry_run`` and ``out_of_time``, the programmes whose
sound and picture are kept no longer. Each receiver lets go of the files that it needs no more and returns their keys
(in a dry run it returns them alone)."""
