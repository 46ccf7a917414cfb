"""Errands of the library. A message only wakes; the row says what there is to do."""

from celery import shared_task

from . import playback


@shared_task
def make_playback(mix_id: int) -> None:
    """Make picture and sound of one mix for the browser."""
    playback.make_playback(mix_id)


@shared_task
def sweep_playback() -> None:
    """Take up what was left lying."""
    for mix_id in playback.waiting_mixes():
        playback.make_playback(mix_id)
