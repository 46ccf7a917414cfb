"""Passages of notes are cut once picture and sound of their mix are there."""

from typing import Any

from django.dispatch import receiver

from ..transcoding.signals import playback_ready
from ..work.waking import wake_workers_on_commit


@receiver(playback_ready)
def cut(**_: Any) -> None:
    """Wake whoever cuts."""
    wake_workers_on_commit("dispatch.tasks.cut_excerpts")
