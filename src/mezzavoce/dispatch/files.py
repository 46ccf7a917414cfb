"""The files of a dispatch: its frozen notes in every format, for members, attached, and through a personal link."""

from collections.abc import Iterable, Iterator
from typing import Any

from django.http import Http404, HttpRequest, HttpResponseBase, StreamingHttpResponse
from django.utils.text import slugify

from mezzavoce_core.exchange.sheets.formats import FORMATS, Format
from mezzavoce_core.exchange.sheets.picture import picture_from
from mezzavoce_core.exchange.sheets.sheet import LevelPoint, Noted, Sheet
from mezzavoce_core.timecode import Clock

from ..library.models import Mix
from ..library.serving import serve
from .models import Dispatch, DispatchItem, ProposedMusic

# A guide track is as long as the mix: too much for a mail.
ATTACHABLE = {name: form.words for name, form in FORMATS.items() if name != "wav"}
"""Formats that can be attached to a mail, with what each is for."""


def sheet_of(dispatch: Dispatch, items: Iterable[DispatchItem]) -> Sheet:
    """Notes as they were sent, whatever became of them; without those that were withdrawn."""
    mix = dispatch.mix
    contents = [item.content for item in items if item.news != DispatchItem.News.WITHDRAWN]
    judged_by = contents[0].get("judged_by", "") if contents else ""
    notes = tuple(note for content in contents for note in _told(mix.clock, content))
    name = f"{mix.programme}, mix {mix.number}"
    return Sheet(name, mix.clock, mix.duration_s, mix.sample_rate_hz, notes, judged_by, "Mezzavoce")


def _told(clock: Clock, content: dict[str, Any]) -> Iterator[Noted]:
    """A frozen note; each place that is told with it stands by itself and says so."""
    yield _noted(clock, content)
    for one in content.get("joined", []):
        words = f"Told with {content['label']}, {content['in_timecode']}."
        yield _noted(clock, one | {"text": words, "severity": content["severity"]})


def _noted(clock: Clock, content: dict[str, Any]) -> Noted:
    """A frozen place; what was sent before figures were frozen with it has none."""
    figures = {name: content.get(name) for name in ("measured", "limit", "unit")}
    return Noted(
        label=content["label"],
        kind=content.get("kind", ""),
        family=content["family"],
        severity=content["severity"],
        title=content["title"],
        text=content["text"],
        in_s=content["in_s"],
        out_s=content["out_s"],
        role=content["role"],
        change=content["change"],
        prediction=content["prediction"],
        points=tuple(_points(clock, content["points"])),
        figures=figures,
        picture=picture_from(content.get("picture")),
    )


def _points(clock: Clock, points: list[dict[str, Any]]) -> Iterator[LevelPoint]:
    for point in points:
        at_s = point["at_s"] if "at_s" in point else clock.seconds_at(point["timecode"])
        gain_db = point["gain_db"] if "gain_db" in point else float(point["gain"].split()[0])
        yield LevelPoint(at_s, gain_db)


def file_of(dispatch: Dispatch, items: Iterable[DispatchItem], name: str) -> StreamingHttpResponse:
    """Some notes of a dispatch as a file, or Http404 for a format that is none."""
    form = FORMATS.get(name)
    if form is None:
        raise Http404
    response = StreamingHttpResponse(form.pieces(sheet_of(dispatch, items)), content_type=form.media_type)
    response["Content-Disposition"] = f'attachment; filename="{_file_name(dispatch.mix, form)}"'
    response["X-Content-Type-Options"] = "nosniff"
    return response


def attachments(dispatch: Dispatch, items: Iterable[DispatchItem]) -> list[tuple[str, bytes, str]]:
    """Name, bytes and type of every file that is attached for some notes."""
    sheet = sheet_of(dispatch, items)
    forms = [FORMATS[name] for name in dispatch.attached]
    return [(_file_name(dispatch.mix, f), b"".join(f.pieces(sheet)), f.media_type.split(";")[0]) for f in forms]


def _file_name(mix: Mix, form: Format) -> str:
    return f"{slugify(str(mix.programme))[:80] or 'programme'}-mix-{mix.number}-notes.{form.ending}"


def is_music_ready(dispatch: Dispatch) -> bool:
    """Whether the music as the notes would have it was made."""
    return ProposedMusic.objects.filter(dispatch=dispatch, state=ProposedMusic.State.READY).exists()


def served_music(request: HttpRequest, dispatch: Dispatch) -> HttpResponseBase:
    """The music as the notes would have it, or Http404 where it was not made."""
    row = (
        ProposedMusic.objects.filter(dispatch=dispatch, state=ProposedMusic.State.READY).select_related("file").first()
    )
    if row is None or row.file is None:
        raise Http404
    response = serve(request, row.file, "audio/wav")
    name = f"{slugify(str(dispatch.mix.programme))[:80] or 'programme'}-mix-{dispatch.mix.number}-music-as-proposed.wav"
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


def offered() -> list[tuple[str, str]]:
    """Every format with what it is for."""
    return [(name, form.words) for name, form in FORMATS.items()]
