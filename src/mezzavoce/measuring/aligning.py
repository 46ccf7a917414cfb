"""Laying a new mix beside the one before it, in the worker, once both are measured."""

from pathlib import Path

from mezzavoce_core.errors import NotMeasurable
from mezzavoce_core.versions.alignment import Alignment as CoreAlignment
from mezzavoce_core.versions.document import alignment_from_dict

from ..library.models import Mix, StoredFile
from ..library.storage import local_copy
from ..processes import core as core_process
from .models import Alignment, Run
from .pictures import want_comparison

_LONGEST_S = 900.0


def former_of(mix: Mix) -> Mix | None:
    """The mix of the same label before it in its programme; None for the first one."""
    before = Mix.objects.filter(programme=mix.programme_id, label=mix.label, number__lt=mix.number)
    return before.order_by("-number").select_related("programme__production").first()


def lay_beside(mix: Mix, features: Path) -> Alignment | None:
    """Where what of the former mix lies in this one, whose measurement is the file ``features``; not stored yet.

    None where there is no former one that was measured.
    """
    former = former_of(mix)
    known = measured_features(former) if former is not None else None
    if former is None or known is None:
        return None
    try:
        with local_copy(known) as old:
            pieces = core_process.ask("align", limit_s=_LONGEST_S, old=str(old), new=str(features))
    except NotMeasurable as error:
        return Alignment(mix=mix, former=former, problem=str(error))
    return Alignment(mix=mix, former=former, pieces=pieces)


def measured_features(mix: Mix) -> StoredFile | None:
    """What the newest measurement of a mix left behind."""
    run = Run.objects.filter(mix=mix, state=Run.State.MEASURED, features__isnull=False).order_by("-pk").first()
    return run.features if run else None


def keep_alignment(found: Alignment | None) -> None:
    """Store it in place of an earlier one of the same mix."""
    if found is not None:
        said = {"former": found.former, "pieces": found.pieces, "problem": found.problem}
        kept, _ = Alignment.objects.update_or_create(mix=found.mix, defaults=said)
        want_comparison(kept)


def alignment_of(mix: Mix) -> tuple[Mix, CoreAlignment] | None:
    """The former mix and where it lies in this one; None where it is laid beside none."""
    row = Alignment.objects.filter(mix=mix).select_related("former__programme__production").first()
    return (row.former, alignment_from_dict(row.pieces)) if row is not None and row.pieces else None
