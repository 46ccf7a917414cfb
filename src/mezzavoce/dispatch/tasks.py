"""Mail and excerpts. A message only wakes; the rows say what there is to do."""

from celery import shared_task
from django.utils import timezone

from . import actions, excerpts
from .models import Delivery, Dispatch


@shared_task
def deliver(delivery_id: int) -> None:
    """Send one mail."""
    actions.try_delivery(delivery_id)


@shared_task
def make_excerpts(dispatch_id: int) -> None:
    """Cut the passages of a dispatch."""
    excerpts.make_excerpts(dispatch_id)


@shared_task
def sweep_deliveries() -> None:
    """Take up mails whose time has come and excerpts that are missing."""
    for delivery_id in Delivery.objects.filter(state=Delivery.State.WAITING, next_try__lte=timezone.now()).values_list("id", flat=True):
        actions.try_delivery(delivery_id)
    unfinished = Dispatch.objects.filter(state=Dispatch.State.SENT, items__excerpt=None, mix__playback_state="ready").distinct()
    for dispatch_id in unfinished.values_list("id", flat=True):
        excerpts.make_excerpts(dispatch_id)
