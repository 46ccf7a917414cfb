"""Productions, who works on them, their programmes and mixes, and the files behind them."""

import uuid
from functools import lru_cache
from pathlib import Path
from typing import ClassVar

from django.conf import settings
from django.db import models

from mezzavoce_core.exchange.forms import LIMITS
from mezzavoce_core.judge import spec as core_spec
from mezzavoce_core.media.probe import FileInfo
from mezzavoce_core.timecode import Clock, parse_rate

from ..accounts.access import Role
from ..accounts.models import Person
from ..config.fields import StoredDocumentField
from ..work.models import FAILED, RUNNING, WAITING, Making, Work


@lru_cache(maxsize=256)
def _clock(start_timecode: str, frame_rate: str, drop_frame: bool) -> Clock:
    """Of a list with hundreds of times each asks for the clock of the same mix."""
    return Clock.starting(start_timecode, parse_rate(frame_rate, drop_frame=drop_frame))


class Production(models.Model):
    """A run of programmes made together."""

    name = models.CharField(max_length=120)
    spec_version = models.ForeignKey("SpecVersion", on_delete=models.PROTECT, related_name="+")
    # How files with several sounds were mapped last, by how their tracks are made up.
    track_maps = models.JSONField(default=dict, blank=True)
    # What its mixes usually have where a file does not say it; empty where nothing is usual.
    frame_rate = models.CharField(max_length=16, blank=True)
    start_timecode = models.CharField(max_length=16, blank=True)
    # Since when it is readable as before, and nothing is changed any more.
    archived_at = models.DateTimeField(null=True)
    # How many days after a programme was archived its sound and picture go; null where they stay.
    media_days = models.PositiveIntegerField(null=True)
    # Whether whoever mends a mix may hand the new one in through the personal link.
    editors_hand_in = models.BooleanField(default=False)

    def __str__(self) -> str:
        """Its name."""
        return self.name

    @property
    def archived(self) -> bool:
        """Whether nothing is changed in it any more."""
        return self.archived_at is not None


class Membership(models.Model):
    """What a person may do in a production."""

    Role = Role
    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="memberships")
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=Role)

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["production", "person"], name="one_role_a_production")
        ]

    def __str__(self) -> str:
        """Who is what."""
        return f"{self.person}: {self.role}"


class Contact(models.Model):
    """Somebody who gets notes; needs no account."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="contacts")
    name = models.CharField(max_length=100)
    mail = models.EmailField()
    # Whether notes usually go there: chosen already when the next are sent.
    usual = models.BooleanField(default=False)
    # Which parts of the sound it mends, with spaces between; empty: all of them.
    takes = models.CharField(max_length=60, blank=True)
    # Taken off the list; what was sent there stays.
    taken_off = models.BooleanField(default=False)

    def __str__(self) -> str:
        """Name and address as pages show them; a mail's header is built by ``dispatch.post``."""
        return self.mail if self.name == self.mail else f"{self.name} <{self.mail}>"

    @property
    def parts(self) -> list[str]:
        """Which parts of the sound it mends; none: all of them."""
        return self.takes.split()

    def mends(self, part: str) -> bool:
        """Whether it mends a part of the sound: a role, ``background`` (music and effects) or ``mix``."""
        wanted = {"music", "effects"} if part == "background" else {part}
        return not self.parts or bool(wanted & set(self.parts))


class Spec(models.Model):
    """A delivery spec; without a production a shipped preset."""

    production = models.ForeignKey(Production, null=True, on_delete=models.CASCADE, related_name="specs")
    name = models.CharField(max_length=80)
    source = models.CharField(max_length=200, blank=True)

    def __str__(self) -> str:
        """Its name."""
        return self.name


class SpecVersion(models.Model):
    """One state of a spec's limits. Never changed."""

    spec = models.ForeignKey(Spec, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField(default=1)
    limits = StoredDocumentField(default=dict, form=LIMITS)
    made_by = models.ForeignKey(Person, null=True, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True, null=True)

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["spec", "number"], name="one_number_a_version")
        ]

    def __str__(self) -> str:
        """Name and number."""
        return f"{self.spec} ({self.number})"

    @property
    def words(self) -> str:
        """Name and version, as pages and mails say by what a mix was judged."""
        return f"{self.spec.name}, version {self.number}"

    @property
    def as_core(self) -> core_spec.Spec:
        """The spec as the core takes it."""
        return core_spec.from_dict({"name": self.spec.name, "source": self.spec.source, "limits": self.limits})


class Programme(models.Model):
    """One programme of a production."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="programmes")
    number = models.PositiveIntegerField()
    title = models.CharField(max_length=160)
    due = models.DateField(null=True, blank=True)
    spec_version = models.ForeignKey(SpecVersion, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    archived_at = models.DateTimeField(null=True)
    # How many labels its marks were given; one is never given again, also when its mark was deleted.
    labels_given = models.PositiveIntegerField(default=0)

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["production", "number"], name="one_number_a_programme")
        ]
        ordering: ClassVar[list[str]] = ["number"]

    def __str__(self) -> str:
        """Number and title."""
        return f"{self.number} {self.title}"

    @property
    def archived(self) -> bool:
        """Whether nothing is changed in it any more, by itself or with its production."""
        return self.archived_at is not None or self.production.archived

    @property
    def judged_by(self) -> SpecVersion:
        """Its own spec, or the production's."""
        return self.spec_version or self.production.spec_version


class StoredFile(models.Model):
    """A file in the store. Its key is made here; a user's name or type never becomes a path."""

    class Kind(models.TextChoices):
        """What it is for."""

        MEDIA = "media", "delivered media"
        FEATURES = "features", "features of a measurement"
        SERIES = "series", "curves for the page"
        PLAYBACK = "playback", "picture and sound for the browser"
        EXCERPT = "excerpt", "a passage for a note"
        STILL = "still", "a picture for a note"
        CAPTIONS = "captions", "captions of a mix"

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="files")
    key = models.UUIDField(default=uuid.uuid4, unique=True, editable=False)
    kind = models.CharField(max_length=10, choices=Kind)
    name = models.CharField(max_length=255)
    size = models.PositiveBigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, blank=True)
    facts = models.JSONField(null=True)
    # What a look through a file with several sounds told: each one, its proposed role, its peaks.
    survey = models.JSONField(null=True)
    created = models.DateTimeField(auto_now_add=True)
    # When its bytes were removed, as its production says; what it was stays readable.
    removed_at = models.DateTimeField(null=True)

    class Meta:
        indexes: ClassVar[list[models.Index]] = [models.Index(fields=["production", "sha256"], name="file_by_content")]

    def __str__(self) -> str:
        """How people know it."""
        return self.name

    @property
    def info(self) -> FileInfo:
        """What the file says about itself, as it was found when it arrived."""
        return FileInfo.from_dict(self.facts or {})

    @property
    def storage_name(self) -> str:
        """Where it lies in the store."""
        return f"{self.key.hex[:2]}/{self.key.hex}"


class Upload(Work):
    """A file that is still arriving, piece by piece.

    What of it counts is what is on disk; whole, it is looked at by a worker.
    """

    class State(models.TextChoices):
        """Arriving, whole and waiting to be looked at, looked at, in the store, or refused."""

        ARRIVING = "arriving", "arriving"
        WAITING = WAITING, "waiting"
        RUNNING = RUNNING, "being looked at"
        READY = "ready", "ready"
        FAILED = FAILED, "refused"

    key = models.UUIDField(default=uuid.uuid4, unique=True, editable=False)
    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="uploads")
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="uploads")
    name = models.CharField(max_length=255)
    size = models.PositiveBigIntegerField()
    # When the file was changed last, as the browser says (ms): with name and size it tells that the same file was
    # chosen again.
    modified = models.PositiveBigIntegerField(null=True)
    received = models.PositiveBigIntegerField(default=0)
    state = models.CharField(max_length=10, choices=State, default=State.ARRIVING, db_index=True)
    file = models.ForeignKey(StoredFile, null=True, on_delete=models.CASCADE, related_name="uploads")
    created = models.DateTimeField(auto_now_add=True)
    touched = models.DateTimeField(auto_now=True)

    def __str__(self) -> str:
        """How far it is."""
        return f"{self.name}: {self.received} of {self.size}"

    @property
    def part(self) -> Path:
        """Where what has arrived lies."""
        return settings.UPLOAD_DIR / f"{self.key.hex}.part"

    @property
    def here(self) -> int:
        """How many bytes are here for certain: counted, and on disk."""
        try:
            return min(self.received, self.part.stat().st_size)
        except FileNotFoundError:
            return 0


class Survey(Making):
    """A look through a file with several sounds; what it told is kept with the file."""

    file = models.OneToOneField(StoredFile, on_delete=models.CASCADE, related_name="look")
    in_pairs = models.BooleanField(default=False)

    def __str__(self) -> str:
        """Of what, and how far."""
        return f"{self.file}: {self.state}"


class Mix(models.Model):
    """A delivered version of a programme. Frame rate and start are the person's last word on them."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="mixes")
    label = models.CharField(max_length=40, default="stereo")
    number = models.PositiveIntegerField()
    frame_rate = models.CharField(max_length=20)
    drop_frame = models.BooleanField(default=False)
    start_timecode = models.CharField(max_length=16)
    sample_rate_hz = models.PositiveIntegerField()
    channels = models.PositiveIntegerField()
    layout = models.CharField(max_length=120, blank=True)
    # In and out of each part of the programme in samples, set by hand; null where the proposal counts.
    ranges = models.JSONField(null=True)
    duration_s = models.FloatField()
    has_picture = models.BooleanField(default=False)
    captions = models.ForeignKey(StoredFile, null=True, on_delete=models.PROTECT, related_name="captions_of")
    ingested_by = models.ForeignKey(Person, null=True, on_delete=models.PROTECT, related_name="+")
    ingested_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["programme", "label", "number"], name="one_number_a_mix")
        ]
        ordering: ClassVar[list[str]] = ["-number"]

    def __str__(self) -> str:
        """Programme and number."""
        return f"{self.programme}, mix {self.number}"

    @property
    def production(self) -> Production:
        """The production that it belongs to."""
        return self.programme.production

    @property
    def archived(self) -> bool:
        """Whether nothing is changed about it any more."""
        return self.programme.archived

    @property
    def clock(self) -> Clock:
        """Its times as timecode."""
        return _clock(self.start_timecode, self.frame_rate, self.drop_frame)

    @property
    def rate_in_core(self) -> str:
        """Its frame rate as the core reads it, with the word for drop-frame."""
        return self.frame_rate + ("df" if self.drop_frame else "")

    def samples(self, time_s: float) -> int:
        """A time as whole samples, the unit of all human work."""
        return round(time_s * self.sample_rate_hz)

    def seconds(self, samples: int) -> float:
        """Whole samples as a time."""
        return samples / self.sample_rate_hz


class Playback(Making):
    """Picture and sound of a mix for the browser, made once."""

    mix = models.OneToOneField(Mix, on_delete=models.CASCADE, related_name="playback")
    file = models.ForeignKey(StoredFile, null=True, on_delete=models.SET_NULL, related_name="+")

    def __str__(self) -> str:
        """Of what, and how far."""
        return f"{self.mix}: {self.state}"


class Track(models.Model):
    """A file of a mix and the part it plays."""

    class Role(models.TextChoices):
        """The mix itself or a stem."""

        MIX = "mix", "mix"
        DIALOGUE = "dialogue", "dialogue"
        MUSIC = "music", "music"
        EFFECTS = "effects", "effects"
        BACKGROUND = "background", "music and effects"

    mix = models.ForeignKey(Mix, on_delete=models.CASCADE, related_name="tracks")
    file = models.ForeignKey(StoredFile, on_delete=models.PROTECT, related_name="tracks")
    role = models.CharField(max_length=10, choices=Role)
    # Tracks (or channels) of the file, as in a track map; empty for its first track as a whole.
    tracks = models.CharField(max_length=60, blank=True)

    def __str__(self) -> str:
        """Role and file."""
        return f"{self.role}: {self.file}{f', tracks {self.tracks}' if self.tracks else ''}"
