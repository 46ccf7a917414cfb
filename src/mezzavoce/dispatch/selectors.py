"""Reading dispatches and answers of what the person was already let in to."""

from collections.abc import Collection, Iterable, Sequence

from django.db.models import Max

from ..config.refresh import Version
from ..library.models import Mix
from .models import Answer, Delivery, Dispatch, DispatchItem, Reply


def newest_answers(mixes: Iterable[Mix]) -> dict[int, Answer]:
    """The answer that counts, by note. One taken back counts as none, and so does one to what was changed since."""
    mixes = list(mixes)
    found = (
        Answer.objects.filter(item__dispatch__mix__in=mixes).select_related("item", "recipient__contact").order_by("pk")
    )
    newest = {a.item.note_id: a for a in found}
    current = dict(_newest_items([mix.pk for mix in mixes], newest.keys()))
    return {n: a for n, a in newest.items() if a.what != Answer.What.TAKEN_BACK and a.item_id == current.get(n)}


def answered(mixes: Sequence[int]) -> dict[int, str]:
    """What was answered last, by note; for lists of many mixes. One taken back counts as none."""
    rows = Answer.objects.filter(item__dispatch__mix__in=mixes).order_by("pk").values_list("item__note", "item", "what")
    newest = {note: (item, what) for note, item, what in rows}
    current = dict(_newest_items(mixes, newest.keys()))
    return {n: what for n, (item, what) in newest.items() if what != Answer.What.TAKEN_BACK and item == current.get(n)}


def _newest_items(mixes: Sequence[int], answered_notes: Collection[int]) -> Iterable[tuple[int, int]]:
    """Note and what was sent of it last: an answer to what it said before does not count any more."""
    if not answered_notes:
        return ()
    sent = DispatchItem.objects.filter(
        note__in=answered_notes, dispatch__mix__in=mixes, dispatch__state=Dispatch.State.SENT
    )
    return sent.order_by("note").values_list("note").annotate(newest=Max("pk"))


def recent_answers(production_id: int, most: int = 4) -> list[Answer]:
    """The last answers of a production, newest first."""
    fields = ("item__dispatch__mix__programme", "recipient__contact")
    found = Answer.objects.filter(item__dispatch__mix__programme__production_id=production_id).exclude(
        what=Answer.What.TAKEN_BACK
    )
    return list(found.select_related(*fields).order_by("-pk")[:most])


def dispatches_of(mix: Mix) -> list[Dispatch]:
    """What was sent of a mix, newest first, with how each mail fared."""
    return list(
        mix.dispatches.filter(state=Dispatch.State.SENT)
        .prefetch_related("recipients__contact", "recipients__delivery", "items", "items__answers__replies__by")
        .order_by("-pk")
    )


def version_of_sending(mix: Mix) -> Version:
    """What the list of what was sent of a mix is drawn from: how its mails fare, and answers."""
    states = (
        Delivery.objects.filter(recipient__dispatch__mix=mix)
        .order_by("pk")
        .values_list("pk", "state", "attempts", "recipient__withdrawn")
    )
    answer = Answer.objects.filter(item__dispatch__mix=mix).aggregate(n=Max("pk"))["n"]
    mails = ",".join(f"{pk}{state[0]}{attempts}{'w' if gone else ''}" for pk, state, attempts, gone in states)
    replies = Reply.objects.filter(answer__item__dispatch__mix=mix).aggregate(n=Max("pk"))["n"]
    return {"answers": f"{answer or 0}.{replies or 0}", "mails": mails or "none"}
