"""Passages of notes are cut once picture and sound of their mix are there."""

from typing import Any

from django.dispatch import receiver

from ..library.signals import playback_ready
from ..work.bell import ring_on_commit


@receiver(playback_ready)
def cut(**_: Any) -> None:
    """Wake whoever cuts."""
    ring_on_commit("dispatch.tasks.cut_excerpts")
