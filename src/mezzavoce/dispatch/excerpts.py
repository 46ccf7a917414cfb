"""Picture and sound of each passage that was sent, cut from the mix's playback file."""

from django.db import transaction

from ..library.models import Mix, Playback, StoredFile
from ..library.storage import keep, local_copy
from ..processes.folders import work_folder
from ..transcoding.playback import cut, still
from ..work.execution import work_next as work_through
from ..work.queue import Queue, Rules
from .models import Dispatch, Excerpt

RUN_UP_S = 2.0
RUN_OUT_S = 1.0
LONGEST_S = 45.0
EXCERPTS: Queue[Excerpt] = Queue(
    kind="excerpt",
    rows=Excerpt.objects.filter(
        item__dispatch__state=Dispatch.State.SENT, item__dispatch__mix__playback__state=Playback.State.READY
    ),
    production="item__dispatch__mix__programme__production_id",
    rules=Rules(
        lease_s=240,
        most_attempts=3,
        first_wait_s=30,
        given_up="The worker stopped {attempts} times while it cut picture and sound of this passage.",
    ),
)


def span(content: dict[str, float], duration_s: float) -> tuple[float, float]:
    """From where to where the excerpt of a note runs: a little more than the passage; a long one is cut."""
    begin = max(0.0, content["in_s"] - RUN_UP_S)
    return begin, min(duration_s, content["out_s"] + RUN_OUT_S, begin + LONGEST_S)


def work_next() -> bool:
    """Cut the next excerpt whose picture and sound are there. Returns whether there was one."""
    return work_through(EXCERPTS, _cut)


def _cut(row: Excerpt) -> None:
    content = row.item.content
    mix = Mix.objects.select_related("playback__file", "programme__production").get(dispatches__items=row.item_id)
    begin, end = span(content, mix.duration_s)
    assert mix.playback.file is not None
    with local_copy(mix.playback.file) as source, work_folder() as folder:
        clip, picture = folder / "excerpt.mp4", folder / "still.jpg"
        cut(source, begin, end, clip, lambda: EXCERPTS.extend(row))
        shown = still(source, (content["in_s"] + min(content["out_s"], end)) / 2, picture) if mix.has_picture else False
        with transaction.atomic():
            held = EXCERPTS.mine(row)
            if held is None:
                return
            held.clip = keep(clip, mix.production, StoredFile.Kind.EXCERPT, "excerpt.mp4")
            held.still = keep(picture, mix.production, StoredFile.Kind.STILL, "still.jpg") if shown else None
            held.release(Excerpt.State.READY)
            held.save()
