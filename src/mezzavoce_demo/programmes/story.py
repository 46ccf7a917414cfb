"""The shape of what the demo shows.

Who says what and when, what sounds beside it, how it is delivered, and which faults are planted.

Times are seconds from the first frame of the programme, behind any leader.
"""

from dataclasses import dataclass

NARRATOR, KEEPER, PILOT = "narrator", "keeper", "pilot"


@dataclass(frozen=True)
class Line:
    """A spoken line; with ``pause_s`` it begins so long after the end of the line before, about at ``at_s``.

    ``gain_db`` is how far off it was recorded.
    """

    at_s: float
    who: str
    text: str
    pause_s: float | None = None
    gain_db: float = 0.0


@dataclass(frozen=True)
class Sound:
    """An effect from a time for a length, at a loudness in LUFS.

    It is one of ``sea``, ``wind``, ``engine``, ``bell``, ``horn`` and ``clank``.
    """

    what: str
    at_s: float
    length_s: float
    level_lufs: float


@dataclass(frozen=True)
class Slip:
    """Where the mixer slips, around a time.

    About the duck of the line there: ``miss`` (no fall), ``late`` and ``early`` (falls ``by`` seconds off), ``depth``
    (``by`` dB deep), ``fall`` (takes ``by`` seconds), ``hold`` (is held ``by`` seconds longer), ``pump`` (``by`` dB up
    in the pause behind the line), ``side`` (drawn on the right only). Elsewhere: ``push`` (music ``by`` dB up for a
    while) and ``stray`` (a dip of ``by`` dB where nobody speaks).
    """

    what: str
    at_s: float
    by: float = 0.0
    length_s: float = 0.0


@dataclass(frozen=True)
class Damage:
    """What goes wrong behind the mixer.

    In mix and stems alike: ``turned`` (right channel upside down), ``hole`` (nothing at all), ``gain`` (a section
    ``by`` dB off), ``left`` (left ``by`` dB over right), ``wide`` (right made of left, partly upside down and partly
    late: little is left in mono). In the mix alone: ``clip`` (``by`` dB too hot into a ceiling of -3.5 dBFS). In the
    stem of music alone: ``stem`` (delivered ``by`` dB off).
    """

    what: str
    at_s: float
    length_s: float
    by: float = 0.0


@dataclass(frozen=True)
class Piece:
    """A cue of the music: from when to when, ``by`` dB off the usual level, its fades in seconds.

    ``second`` comes on a music stem of its own.
    """

    in_s: float
    out_s: float
    by: float = 0.0
    fade_in_s: float = 0.6
    fade_out_s: float = 1.5
    second: bool = False


@dataclass(frozen=True)
class Text:
    """A caption."""

    in_s: float
    out_s: float
    text: str


@dataclass(frozen=True)
class Leader:
    """What a delivery carries before the programme.

    ``tone``, ``slate`` (with its words), ``pips`` (one a second) or ``silence``.
    """

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

    ``delivery``: stems as files beside the mix, all as tracks of one file, or the mix alone (mono too). ``parts``: in
    and out of each part, where a person has to say so; ``important``: effects that a person calls important
    (timecodes). ``limits``: what a spec of its own asks beside that of the series. ``pieces``: the cues, where the
    music is not one; ``texts``: captions.
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
    pieces: tuple[Piece, ...] = ()
    texts: tuple[Text, ...] = ()
    important: tuple[tuple[str, str], ...] = ()
    limits: tuple[tuple[str, float], ...] = ()
    room_lufs: float | None = None
    duck_db: float = 11.0
    music_lufs: float = -26.0

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
