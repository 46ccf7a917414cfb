"""The shape of what the demo shows: who says what and when, what sounds beside it, how it is delivered, and which faults are planted.

Times are seconds from the first frame of the programme, behind any leader.
"""

from dataclasses import dataclass

NARRATOR, KEEPER, PILOT = "narrator", "keeper", "pilot"


@dataclass(frozen=True)
class Line:
    """A spoken line."""

    at_s: float
    who: str
    text: str


@dataclass(frozen=True)
class Sound:
    """An effect: ``sea``, ``wind``, ``engine``, ``bell``, ``horn`` or ``clank``, from a time for a length, at a loudness in LUFS."""

    what: str
    at_s: float
    length_s: float
    level_lufs: float


@dataclass(frozen=True)
class Slip:
    """Where the mixer slips: ``miss`` (no fall), ``late`` (falls ``by`` seconds late) or ``push`` (music ``by`` dB up) around a time."""

    what: str
    at_s: float
    by: float = 0.0
    length_s: float = 0.0


@dataclass(frozen=True)
class Damage:
    """What goes wrong behind the mixer.

    In mix and stems alike: ``turned`` (right channel upside down), ``hole`` (nothing at all), ``gain`` (a section ``by`` dB off).
    In the mix alone: ``clip`` (``by`` dB too hot into a ceiling of -3.5 dBFS).
    """

    what: str
    at_s: float
    length_s: float
    by: float = 0.0


@dataclass(frozen=True)
class Leader:
    """What a delivery carries before the programme: ``tone``, ``slate`` (with its words), ``pips`` (one a second) or ``silence``."""

    what: str
    length_s: float
    text: str = ""


@dataclass(frozen=True)
class Planted:
    """A fault that has to be found: its kind, about where it lies, and what it is in words."""

    kind: str
    in_s: float
    out_s: float
    words: str


STEM_FILES, TRACKS, ALONE, MONO = "stem files", "tracks", "alone", "mono"


@dataclass(frozen=True)
class Episode:
    """One programme of the series.

    ``delivery``: stems as files beside the mix, all as tracks of one file, or the mix alone (mono too).
    ``parts``: in and out of each part, where a person has to say so.
    """

    number: int
    title: str
    frame_rate: str
    start: str
    length_s: float
    key: int
    tempo: float
    lines: tuple[Line, ...]
    sounds: tuple[Sound, ...]
    slips: tuple[Slip, ...] = ()
    planted: tuple[Planted, ...] = ()
    target_lufs: float = -23.0
    spec: str | None = None
    due_in_days: int = 3
    swell_db: float = 0.0
    silent_music: tuple[tuple[float, float], ...] = ()
    leader: tuple[Leader, ...] = ()
    tail_s: float = 0.0
    damages: tuple[Damage, ...] = ()
    delivery: str = STEM_FILES
    parts: tuple[tuple[str, str], ...] = ()

    @property
    def leader_s(self) -> float:
        """Seconds before the programme."""
        return sum(part.length_s for part in self.leader)

    @property
    def file_s(self) -> float:
        """Seconds of the whole file."""
        return self.leader_s + self.length_s + self.tail_s

    @property
    def has_stems(self) -> bool:
        """Whether the stems are delivered."""
        return self.delivery in (STEM_FILES, TRACKS)
