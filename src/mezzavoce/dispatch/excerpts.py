"""Picture and sound of each passage that was sent, as it is and as proposed, cut from the mix's playback file."""

import logging
from pathlib import Path
from typing import Any

from django.db import transaction

from mezzavoce_core.errors import MezzavoceError

from ..config.refusals import Refused
from ..library.models import Mix, Playback, StoredFile, Track
from ..library.storage import keep, local_copy
from ..measuring.core_requests import passage_sound
from ..processes.folders import work_folder
from ..transcoding.playback import cut, still, with_sound
from ..work.execution import work_next as work_through
from ..work.queue import Queue, Rules
from .models import Dispatch, Excerpt

_LOG = logging.getLogger(__name__)
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
        heard = folder / "proposed.mp4"
        proposed = _proposed(mix, content, (begin, end), clip, heard)
        shown = still(source, (content["in_s"] + min(content["out_s"], end)) / 2, picture) if mix.has_picture else False
        with transaction.atomic():
            held = EXCERPTS.mine(row)
            if held is None:
                return
            held.clip = keep(clip, mix.production, StoredFile.Kind.EXCERPT, "excerpt.mp4")
            held.still = keep(picture, mix.production, StoredFile.Kind.STILL, "still.jpg") if shown else None
            held.proposed = keep(heard, mix.production, StoredFile.Kind.EXCERPT, "proposed.mp4") if proposed else None
            held.release(Excerpt.State.READY)
            held.save()


def _proposed(mix: Mix, content: dict[str, Any], between: tuple[float, float], clip: Path, target: Path) -> bool:
    """The same passage with the level points of a note, at the levels that the mix would have. Whether there is one."""
    remedy = content.get("remedy")
    if not remedy or not remedy["points"]:
        return False
    sound = target.with_suffix(".wav")
    try:
        sound.write_bytes(passage_sound(mix, Track.Role.MIX, between, remedy))
        with_sound(clip, sound, target)
    except (MezzavoceError, Refused) as error:
        # Without the stem that the points are for there is nothing to hear; the passage as it is stays.
        _LOG.info("%s is not heard as proposed: %s", content["label"], error)
        return False
    return True
