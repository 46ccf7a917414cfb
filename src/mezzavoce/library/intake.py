"""A mix is made of files that arrived, and put right later: what its files are, its frame rate, its start."""

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction
from django.db.models import Max

from mezzavoce_core.media.layouts import parse_layout
from mezzavoce_core.timecode import FrameRate, parse_rate, parse_timecode

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.refusals import Refused
from .actions import plan_programme
from .models import Mix, Playback, Production, Programme, StoredFile, Track
from .signals import ingested
from .sounds import CAPTIONS, Piece, Shape, check_pieces, shape_of, signature, tracks_of

_SAME_LENGTH_S = 0.001


@dataclass(frozen=True)
class Given:
    """What a person says of a mix: its files with their roles, frame rate, start, and the order of its channels."""

    files: Sequence[Piece | tuple[StoredFile, str]]
    frame_rate: str
    start_timecode: str
    layout: str = ""


@dataclass(frozen=True)
class Ingest(Given):
    """A mix that is new. Its programme is an existing one, or number and title of a new one."""

    programme: Programme | None = None
    number: int | None = None
    title: str = ""
    label: str = ""


@dataclass(frozen=True)
class Checked:
    """What was given, once everything of it fits together."""

    pieces: Sequence[Piece]
    captions: StoredFile | None
    shape: Shape
    rate: FrameRate


@dataclass(frozen=True)
class Changed:
    """What is different about a mix by what was put right."""

    timing: bool
    captions: bool
    stems: bool
    mix: bool

    @property
    def words(self) -> list[str]:
        """What changed, as the trail names it."""
        named = ("frame rate or start", "captions", "stems", "mix")
        said = (self.timing, self.captions, self.stems, self.mix)
        return [name for name, changed in zip(named, said, strict=True) if changed]


def ingest(person: Person, production: Production, ingest: Ingest) -> Mix:
    """Make a mix of stored files and have it measured. Nothing is made unless everything fits together."""
    require(person, production, Role.REVIEWER)
    found = check(production, ingest)
    with transaction.atomic():
        # Locked, so that two new programmes at once get two numbers.
        Production.objects.select_for_update().get(pk=production.pk)
        programme = ingest.programme or plan_programme(
            person, production, _next_number(production, ingest.number), ingest.title
        )
        # Locked, so that two ingests at once get two numbers.
        Programme.objects.select_for_update().get(pk=programme.pk)
        label = ingest.label or found.shape.layout
        number = (Mix.objects.filter(programme=programme, label=label).aggregate(n=Max("number"))["n"] or 0) + 1
        mix = Mix(programme=programme, label=label, number=number, ingested_by=person)
        _write(mix, ingest, found)
        mix.save()
        Playback.objects.create(mix=mix)
        _keep_tracks(mix, found)
        record(production, person, "ingest", str(mix))
        ingested.send(sender=Mix, mix=mix, person=person)
    return mix


def check(production: Production, given: Given, of: Mix | None = None) -> Checked:
    """Files, roles and timing that fit together, for a new mix or as another word on the mix that they are ``of``.

    Raises Refused, TrackMapError or TimecodeError with what does not fit.
    """
    files = [Piece(*p) for p in given.files]
    captions, pieces = [p.file for p in files if p.role == CAPTIONS], [p for p in files if p.role != CAPTIONS]
    if len(captions) > 1:
        raise Refused("Two files hold captions; a mix is held against one. Remove the other.")
    if any(p.file.production_id != production.pk for p in files):
        raise Refused("A file belongs to another production. Choose the files again.")
    check_pieces(pieces)
    _check_unknown(production, pieces, of)
    shape = shape_of(pieces, parse_layout(given.layout) if given.layout else "")
    return Checked(pieces, captions[0] if captions else None, shape, timing(given.frame_rate, given.start_timecode))


def put_right(mix: Mix, given: Given) -> Changed:
    """Let another word on the files, frame rate and start of a mix count; says what is different by it.

    Called with the mix locked. What people decided lies in samples, so the sound of the mix itself stays as long and
    as finely sampled as it was. Raises Refused where it would not.
    """
    found = check(mix.production, given, mix)
    shape, info = found.shape, found.shape.info
    if info.sample_rate_hz != mix.sample_rate_hz or abs(info.duration_s - mix.duration_s) > _SAME_LENGTH_S:
        raise Refused(
            "The file that would be the mix is longer, shorter or sampled otherwise than the one that was ingested. "
            "Ingest it as a new mix; what was decided stays with this one."
        )
    before, now = _tracks_by_role(tracks_of(mix)), _tracks_by_role(found.pieces)
    changed = Changed(
        timing=(str(found.rate), found.rate.drop_frame, given.start_timecode)
        != (mix.frame_rate, mix.drop_frame, mix.start_timecode),
        captions=(found.captions and found.captions.pk) != mix.captions_id,
        stems=before - _mixed(before) != now - _mixed(now),
        mix=_mixed(before) != _mixed(now) or shape.layout != mix.layout,
    )
    _write(mix, given, found)
    mix.save()
    if changed.stems or changed.mix:
        mix.tracks.all().delete()
        _keep_tracks(mix, found)
    return changed


def _write(mix: Mix, given: Given, found: Checked) -> None:
    """What a mix is, from what was given; not saved yet."""
    mix.frame_rate, mix.drop_frame = str(found.rate), found.rate.drop_frame
    mix.start_timecode = given.start_timecode
    mix.sample_rate_hz, mix.duration_s = found.shape.info.sample_rate_hz, found.shape.info.duration_s
    mix.has_picture = found.shape.info.has_picture
    mix.channels, mix.layout = found.shape.channels, found.shape.layout
    mix.captions = found.captions


def _keep_tracks(mix: Mix, found: Checked) -> None:
    Track.objects.bulk_create([Track(mix=mix, file=p.file, role=p.role, tracks=p.tracks) for p in found.pieces])
    _remember(mix.production, found.pieces, found.shape)


def _tracks_by_role(pieces: Sequence[Piece | Track]) -> set[tuple[str, int, str]]:
    return {(p.role, p.file.pk, p.tracks) for p in pieces}


def _mixed(tracks: set[tuple[str, int, str]]) -> set[tuple[str, int, str]]:
    return {t for t in tracks if t[0] == Track.Role.MIX}


def timing(frame_rate: str, start_timecode: str) -> FrameRate:
    """The frame rate that goes with a start timecode; raises TimecodeError with a sentence.

    A semicolon means drop-frame.
    """
    rate = parse_rate(frame_rate)
    if ";" in start_timecode and not rate.drop_frame:
        rate = FrameRate(rate.fps, drop_frame=True)
    parse_timecode(start_timecode, rate)
    return rate


def _next_number(production: Production, wanted: int | None) -> int:
    if wanted:
        return wanted
    return (Programme.objects.filter(production=production).aggregate(n=Max("number"))["n"] or 0) + 1


def _check_unknown(production: Production, pieces: Sequence[Piece], of: Mix | None) -> None:
    """Raise Refused where the very sound of the mix is here already as another one."""
    mixed = next(p for p in pieces if p.role == Track.Role.MIX)
    before = Track.objects.filter(
        file__sha256=mixed.file.sha256,
        file__removed_at=None,
        role=Track.Role.MIX,
        tracks=mixed.tracks,
        mix__programme__production=production,
    ).exclude(mix=of)
    earlier = before.select_related("mix__programme").first()
    if earlier:
        raise Refused(
            f"This very file is here already as {earlier.mix}. Measure that one again, or choose the new export."
        )


def _remember(production: Production, pieces: Sequence[Piece], shape: Shape) -> None:
    """The next file that is made up like this one gets the same roles proposed."""
    mixed = next(p for p in pieces if p.role == Track.Role.MIX)
    if not mixed.tracks:
        return
    row = Production.objects.select_for_update().get(pk=production.pk)
    roles = {p.tracks: p.role for p in pieces if p.file.pk == mixed.file.pk}
    row.track_maps = row.track_maps | {signature(mixed.info): {"roles": roles, "layout": shape.layout}}
    row.save(update_fields=["track_maps"])
