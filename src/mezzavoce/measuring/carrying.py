"""What people said of the mix before goes along to a new one, to where its sound lies there.

Corrections, the range of the programme and captions; once, when the new mix is measured first and nobody said anything
of it yet.
"""

from itertools import pairwise

from mezzavoce_core.exchange.captions import read_captions, write_captions
from mezzavoce_core.measure.captions import Caption
from mezzavoce_core.versions.alignment import Alignment as Pieces
from mezzavoce_core.versions.document import alignment_from_dict

from ..library.models import Mix, StoredFile
from ..library.storage import keep, local_copy
from ..processes.folders import work_folder
from .models import Alignment, Correction, Run

_NAME = "captions of the mix before.vtt"


def carry(found: Alignment | None) -> None:
    """Take along what was said of the former mix. Called before the first judgement of the new one."""
    if found is None or not found.pieces or Run.objects.filter(mix=found.mix, state=Run.State.MEASURED).exists():
        return
    pieces = alignment_from_dict(found.pieces)
    told = _corrections(found.former, found.mix, pieces)
    told |= _ranges(found.former, found.mix, pieces) | _captions(found.former, found.mix, pieces)
    Alignment.objects.filter(mix=found.mix).update(carried={name: said for name, said in told.items() if said})


def _corrections(former: Mix, mix: Mix, pieces: Pieces) -> dict[str, int]:
    if Correction.objects.filter(mix=mix).exists():
        return {}
    said = list(Correction.objects.filter(mix=former, withdrawn=None))
    placed = [(c, _placed(former, mix, pieces, c.in_sample, c.out_sample)) for c in said]
    Correction.objects.bulk_create([_moved(c, former, mix, pieces, place) for c, place in placed if place is not None])
    kept = sum(place is not None for _, place in placed)
    return {"corrections": kept, "corrections lost": len(said) - kept}


def _moved(said: Correction, former: Mix, mix: Mix, pieces: Pieces, place: tuple[int, int]) -> Correction:
    before, after = said.instead_in_sample, said.instead_out_sample
    instead = None if before is None or after is None else _placed(former, mix, pieces, before, after)
    in_sample, out_sample = instead or (None, None)
    return Correction(
        mix=mix,
        kind=said.kind,
        in_sample=place[0],
        out_sample=place[1],
        instead_in_sample=in_sample,
        instead_out_sample=out_sample,
        by=said.by,
        carried_from=said,
    )


def _placed(former: Mix, mix: Mix, pieces: Pieces, begin: int, end: int) -> tuple[int, int] | None:
    """Where a stretch lies in the new mix, in its samples; None where it was cut out."""
    place = pieces.placed(former.seconds(begin), former.seconds(end))
    if place is None:
        return None
    return mix.samples(place[0]), mix.samples(min(place[1], mix.duration_s))


def _ranges(former: Mix, mix: Mix, pieces: Pieces) -> dict[str, int]:
    """All parts of the range, or none: half a programme is no programme."""
    if mix.ranges is not None or not former.ranges:
        return {}
    places = [_placed(former, mix, pieces, begin, end) for begin, end in former.ranges]
    whole = [place for place in places if place is not None]
    in_order = all(one[1] <= two[0] for one, two in pairwise(whole))
    if len(whole) < len(places) or not in_order:
        return {"range lost": 1}
    mix.ranges = [list(place) for place in whole]
    Mix.objects.filter(pk=mix.pk).update(ranges=mix.ranges)
    return {"range": 1}


def _captions(former: Mix, mix: Mix, pieces: Pieces) -> dict[str, int]:
    if mix.captions_id is not None or former.captions is None or former.captions.removed_at is not None:
        return {}
    with local_copy(former.captions) as path:
        said = read_captions(path, former.captions.name)
    placed = [(c, pieces.placed(c.in_s, c.out_s)) for c in said]
    kept = [Caption(place[0], place[1], c.text) for c, place in placed if place is not None]
    if kept:
        with work_folder() as folder:
            path = folder / "captions.vtt"
            path.write_text(write_captions(sorted(kept, key=lambda c: c.in_s)), encoding="utf-8")
            mix.captions = keep(path, mix.production, StoredFile.Kind.CAPTIONS, _NAME)
        Mix.objects.filter(pk=mix.pk).update(captions=mix.captions)
    return {"captions": len(kept), "captions lost": len(said) - len(kept)}
