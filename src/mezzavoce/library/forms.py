"""What is said of a mix: timing, files with roles, and for a new one its programme."""

import json
from typing import Any

from django import forms

from mezzavoce_core.errors import TimecodeError

from ..config.inputs import whole
from .intake import timing
from .models import Production, Programme, StoredFile, Track
from .sounds import CAPTIONS, TRACKS, Piece

FRAME_RATES = (
    ("24000/1001", "23.976"),
    ("24", "24"),
    ("25", "25"),
    ("30000/1001", "29.97 non-drop"),
    ("30000/1001df", "29.97 drop-frame"),
    ("30", "30"),
    ("48000/1001", "47.952"),
    ("48", "48"),
    ("50", "50"),
    ("60000/1001", "59.94 non-drop"),
    ("60000/1001df", "59.94 drop-frame"),
    ("60", "60"),
)


class MixForm(forms.Form):
    """Timing and files of a mix.

    ``files`` is JSON: a list of ``{"id": …, "role": …, "tracks": …}``; ``layout`` says where the channels stand.
    """

    frame_rate = forms.ChoiceField(choices=FRAME_RATES)
    start_timecode = forms.CharField(max_length=16)
    layout = forms.CharField(max_length=120, required=False)
    files = forms.CharField(widget=forms.HiddenInput)  # type: ignore[assignment]

    def __init__(self, production: Production, *args: Any, **kwargs: Any) -> None:
        """Files of one production only."""
        super().__init__(*args, **kwargs)
        self._production = production

    def clean_files(self) -> list[Piece]:
        """Stored files, or some of their tracks, with their roles."""
        try:
            told = json.loads(self.cleaned_data["files"])
            chosen = [(whole(str(f["id"])) or 0, str(f["role"]), str(f.get("tracks", ""))) for f in told]
        except (ValueError, TypeError, KeyError, AttributeError, RecursionError):
            raise forms.ValidationError("The list of files did not arrive whole; choose the files again.") from None
        kinds = (StoredFile.Kind.MEDIA, StoredFile.Kind.CAPTIONS)
        rows = StoredFile.objects.filter(production=self._production, kind__in=kinds).in_bulk([i for i, _, _ in chosen])
        roles = (*Track.Role.values, CAPTIONS)
        if any(
            i not in rows
            or role not in roles
            or (role == CAPTIONS) != (rows[i].kind == StoredFile.Kind.CAPTIONS)
            or not TRACKS.fullmatch(tracks)
            for i, role, tracks in chosen
        ):
            raise forms.ValidationError("A file of the list is not here any more; choose it again.")
        return [Piece(rows[i], role, tracks) for i, role, tracks in chosen]

    def clean(self) -> dict[str, Any]:
        """Timing that can be."""
        data = super().clean() or {}
        if "frame_rate" in data and "start_timecode" in data:
            try:
                timing(data["frame_rate"], data["start_timecode"])
            except TimecodeError as error:
                self.add_error("start_timecode", str(error))
        return data


class IngestForm(MixForm):
    """A new mix, and the programme that it is of."""

    programme = forms.ModelChoiceField(Programme.objects.none(), required=False, empty_label="a new programme")
    number = forms.IntegerField(min_value=1, max_value=9999, required=False)
    title = forms.CharField(max_length=160, required=False)

    def __init__(self, production: Production, *args: Any, **kwargs: Any) -> None:
        """Programmes and files of one production only."""
        super().__init__(production, *args, **kwargs)
        programmes = self.fields["programme"]
        assert isinstance(programmes, forms.ModelChoiceField)
        programmes.queryset = Programme.objects.filter(production=production)

    def clean(self) -> dict[str, Any]:
        """A title where the programme is new."""
        data = super().clean()
        if not data.get("programme") and not (data.get("title") or "").strip():
            self.add_error("title", "A new programme needs a title; or choose one from the list.")
        return data
