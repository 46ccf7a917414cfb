"""Picture and sound of each passage that was sent, cut from the mix's playback file."""

from django.db import transaction

from ..library.models import Mix, StoredFile
from ..library.playback import cut, make_playback, still
from ..library.storage import keep, local_copy, work_folder
from .models import Dispatch, DispatchItem

RUN_UP_S = 2.0
RUN_OUT_S = 1.0
LONGEST_S = 45.0


def span(content: dict[str, float], duration_s: float) -> tuple[float, float]:
    """From where to where the excerpt of a note runs: a little more than the passage; a long one is cut."""
    begin = max(0.0, content["in_s"] - RUN_UP_S)
    return begin, min(duration_s, content["out_s"] + RUN_OUT_S, begin + LONGEST_S)


def make_excerpts(dispatch_id: int) -> None:
    """Cut what is not there yet."""
    dispatch = Dispatch.objects.select_related("mix").get(pk=dispatch_id)
    make_playback(dispatch.mix_id)
    mix = Mix.objects.select_related("playback", "programme__production").get(pk=dispatch.mix_id)
    if mix.playback is None:
        return
    with local_copy(mix.playback) as source:
        for item in DispatchItem.objects.filter(dispatch=dispatch, excerpt=None):
            begin, end = span(item.content, mix.duration_s)
            with work_folder() as folder:
                clip, picture = folder / "excerpt.mp4", folder / "still.jpg"
                cut(source, begin, end, clip)
                shown = still(source, (item.content["in_s"] + min(item.content["out_s"], end)) / 2, picture) if mix.has_picture else False
                with transaction.atomic():
                    item.excerpt = keep(clip, mix.production, StoredFile.Kind.EXCERPT, "excerpt.mp4")
                    item.still = keep(picture, mix.production, StoredFile.Kind.STILL, "still.jpg") if shown else None
                    item.save(update_fields=["excerpt", "still"])
