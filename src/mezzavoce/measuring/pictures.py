"""Comparing the pictures of two mixes that were laid beside each other, once both are ready for the browser."""

from pathlib import Path

from mezzavoce_core.versions.document import alignment_from_dict
from mezzavoce_core.versions.pictures import changed_pictures, frames_from

from ..library.models import Mix, Playback
from ..library.storage import local_copy
from ..processes.folders import work_folder
from ..transcoding.playback import small_frames
from ..work.execution import work_next as work_through
from ..work.queue import Queue, Rules
from ..work.waking import wake_workers_on_commit
from .models import Alignment, PictureComparison

COMPARISONS: Queue[PictureComparison] = Queue(
    kind="pictures",
    rows=PictureComparison.objects.filter(
        alignment__mix__playback__state=Playback.State.READY, alignment__former__playback__state=Playback.State.READY
    ),
    production="alignment__mix__programme__production_id",
    rules=Rules(
        lease_s=240,
        most_attempts=3,
        first_wait_s=30,
        given_up="The worker stopped {attempts} times while it compared the pictures.",
    ),
)


def want_comparison(found: Alignment) -> None:
    """Have the pictures of two mixes compared, where both have one. Called inside a transaction."""
    if not found.pieces or not found.mix.has_picture or not found.former.has_picture:
        PictureComparison.objects.filter(alignment=found).delete()
        return
    row, _ = PictureComparison.objects.get_or_create(alignment=found)
    row.release(PictureComparison.State.WAITING)
    row.attempts, row.spans = 0, []
    row.save()
    wake_workers_on_commit("measuring.tasks.compare_pictures")


def work_next() -> bool:
    """Compare the next two pictures that are ready. Returns whether there were any."""
    return work_through(COMPARISONS, _compare)


def _compare(row: PictureComparison) -> None:
    alignment = Alignment.objects.select_related("mix__playback__file", "former__playback__file").get(
        pk=row.alignment_id
    )
    with work_folder() as folder:
        old, new = (
            frames_from(_frames(mix, folder / name, row).read_bytes())
            for mix, name in ((alignment.former, "old.gray"), (alignment.mix, "new.gray"))
        )
        spans = changed_pictures(old, new, alignment_from_dict(alignment.pieces))
    COMPARISONS.end(row, PictureComparison.State.READY, spans=[list(span) for span in spans])


def _frames(mix: Mix, target: Path, row: PictureComparison) -> Path:
    assert mix.playback.file is not None
    with local_copy(mix.playback.file) as source:
        small_frames(source, target, 120 + mix.duration_s, lambda: COMPARISONS.extend(row))
    return target
