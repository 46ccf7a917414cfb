"""A mix that is taken in is measured, and prepared for the browser."""

from typing import Any

from django.db import transaction
from django.dispatch import receiver

from ..accounts.models import Person
from ..library.models import Mix
from ..library.signals import taken_in
from ..library.tasks import make_playback
from .actions import request_run


@receiver(taken_in)
def measure(mix: Mix, person: Person, **_: Any) -> None:
    """Ask for both in the transaction of the intake."""
    request_run(person, mix)
    transaction.on_commit(lambda: make_playback.delay(mix.pk))
