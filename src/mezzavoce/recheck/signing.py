"""Signing a mix: what is signed is frozen, and what changes afterwards breaks it visibly."""

import hashlib
import json
from collections.abc import Iterable, Sequence
from typing import Any

from django.db import transaction
from django.db.models import Prefetch
from django.http import Http404
from django.utils import timezone

from mezzavoce_core import VERSION
from mezzavoce_core.exchange.headline import headline
from mezzavoce_core.versions.recheck import BY_HAND

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.refusals import Overtaken, Refused
from ..library.models import Mix, Track
from ..measuring.models import Judgement
from ..measuring.selectors import current_judgement
from ..notes.models import Decision
from ..notes.selectors import Marked, marked
from .models import SignOff

_DISMISSED = (Decision.What.NOT_A_FAULT, Decision.What.ALLOW)


def fingerprint(mix: Mix) -> str:
    """What a sign-off is of: the files with their roles, the version of the spec, the range set by hand."""
    tracks = sorted((t.role, t.file.sha256, t.tracks) for t in mix.tracks.all())
    said = [tracks, mix.programme.judged_by.pk, mix.ranges, mix.captions_id, mix.layout]
    return hashlib.sha256(json.dumps(said).encode()).hexdigest()


def content_of(mix: Mix, person: Person) -> dict[str, Any]:
    """What would be signed, as JSON types. Raises Refused where nothing was judged, or something must be mended."""
    judgement = current_judgement(mix)
    if judgement is None:
        raise Refused("This mix was not measured yet; there is nothing to sign.")
    if judgement.spec_version_id != mix.programme.judged_by.pk:
        raise Refused("This mix is being judged by the spec that counts now; sign it in a moment.")
    marks = marked(mix, judgement, whole=True)
    left = [m for m in marks if _counts(m) and not _is_dismissed(m)]
    must = [m for m in left if m.severity == "must"]
    if must:
        raise Refused(
            f"{len(must)} place{'' if len(must) == 1 else 's'} must be mended, or allowed for a reason: "
            f"{', '.join(m.mark.label for m in must)}. Then it can be signed."
        )
    return {
        "production": mix.production.name,
        "programme": str(mix.programme),
        "mix": mix.number,
        "files": _files(mix),
        "duration_s": mix.duration_s,
        "start_timecode": mix.start_timecode,
        "spec": judgement.spec_version.words,
        "figures": _figures(judgement, left),
        "waivers": [_waiver(m) for m in marks if _counts(m) and _is_dismissed(m)],
        "remarks": [_remark(m) for m in left],
        "made_by": f"Mezzavoce {VERSION}",
        "by": person.name,
    }


def _counts(item: Marked) -> bool:
    """What is found now, and what a person noted by hand."""
    return item.finding is not None or item.mark.kind == BY_HAND


def _is_dismissed(item: Marked) -> bool:
    return item.decision is not None and item.decision.what in _DISMISSED


def _files(mix: Mix) -> list[dict[str, str]]:
    tracks = mix.tracks.select_related("file").order_by("id")
    return [{"name": t.file.name, "role": t.get_role_display(), "sha256": t.file.sha256} for t in tracks]


def _figures(judgement: Judgement, left: Sequence[Marked]) -> list[dict[str, str]]:
    detail = judgement.detail
    known = [(m.mark.kind, m.mark.family, m.severity) for m in left]
    shown = headline(detail["loudness"], detail["clear_share"], detail["spec"]["limits"], known)
    return [
        {"name": f.name, "value": f.value, "unit": f.unit, "limit": f.limit, "state": f.state} for f in shown.values()
    ]


def _waiver(item: Marked) -> dict[str, str]:
    decision = item.decision
    assert decision is not None
    return _remark(item) | {
        "what": decision.get_what_display(),
        "reason": decision.reason,
        "by": decision.by.name,
        "at": decision.at.isoformat(timespec="minutes"),
    }


def _remark(item: Marked) -> dict[str, str]:
    return {
        "label": item.mark.label,
        "title": item.title,
        "severity": item.severity,
        "in": item.in_timecode,
        "out": item.out_timecode,
    }


def sign(person: Person, mix: Mix) -> SignOff:
    """Sign a mix for the spec that judges it. Raises Refused as ``content_of`` does, or where it is signed already."""
    require(person, mix, Role.REVIEWER)
    with transaction.atomic():
        mix = Mix.objects.select_for_update().get(pk=mix.pk)
        if standing(mix) is not None:
            raise Overtaken("This mix is signed already.")
        now = timezone.now()
        content = content_of(mix, person) | {"at": now.isoformat(timespec="seconds")}
        row = SignOff.objects.create(mix=mix, by=person, at=now, content=content, fingerprint=fingerprint(mix))
        record(mix.production, person, "sign off", str(mix), after=content["spec"])
    return row


def withdraw(person: Person, row: SignOff) -> None:
    """Take a sign-off back; it stays readable. Whoever signed may, and a lead."""
    require(person, row.mix, Role.REVIEWER if row.by_id == person.pk else Role.LEAD)
    with transaction.atomic():
        held = SignOff.objects.select_for_update().get(pk=row.pk)
        if held.withdrawn_at is not None:
            raise Overtaken("This sign-off was withdrawn already.")
        held.withdrawn_at, held.withdrawn_by = timezone.now(), person
        held.save(update_fields=["withdrawn_at", "withdrawn_by"])
        record(row.mix.production, person, "withdraw sign-off", str(row.mix))


def sign_off_for(person: Person, sign_off_id: int) -> SignOff:
    """A sign-off of a production that the person belongs to, or Http404."""
    row = SignOff.objects.select_related("mix__programme__production", "by").filter(pk=sign_off_id).first()
    if row is None:
        raise Http404
    require(person, row.mix)
    return row


def standing(mix: Mix) -> SignOff | None:
    """The sign-off that counts: not withdrawn, and of what is there now."""
    newest = mix.sign_offs.filter(withdrawn_at=None).select_related("by").first()
    return newest if newest is not None and newest.fingerprint == fingerprint(mix) else None


def breaks(row: SignOff) -> str:
    """Why a sign-off does not count any more, in a sentence; empty where it does."""
    if row.withdrawn_at is not None:
        by = row.withdrawn_by.name if row.withdrawn_by else "somebody"
        return f"Withdrawn by {by} on {row.withdrawn_at:%d %b %Y}."
    if row.fingerprint != fingerprint(row.mix):
        return "Broken: files, spec or range of this mix are others now than when it was signed."
    return ""


def signed(mixes: Iterable[int]) -> dict[int, SignOff]:
    """The sign-offs that count of some mixes, by mix; for lists of many."""
    rows = (
        SignOff.objects.filter(mix__in=list(mixes), withdrawn_at=None)
        .select_related("by", "mix__programme__production__spec_version", "mix__programme__spec_version")
        .prefetch_related(Prefetch("mix__tracks", Track.objects.select_related("file")))
        .defer("content")
        .order_by("pk")
    )
    newest = {row.mix_id: row for row in rows}
    return {pk: row for pk, row in newest.items() if row.fingerprint == fingerprint(row.mix)}
