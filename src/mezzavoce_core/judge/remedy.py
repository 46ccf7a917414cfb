"""What would mend a fault, as values: one shape for all remedies, and what only some kinds of them have besides."""

from dataclasses import dataclass, field

from ..signal.peaking import PeakingFilter


@dataclass(frozen=True)
class Point:
    """A level point of a remedy: a gain in dB to add at a time."""

    at_s: float
    gain_db: float


@dataclass(frozen=True)
class Side:
    """One channel of several.

    Its place in the file, from 0; what it is called on a page; its share of the role's power (0 to 1) in the middle.
    """

    index: int
    name: str
    share: float


@dataclass(frozen=True)
class Part:
    """The part of the sound that a remedy is for."""

    role: str
    """A role of stems, or ``mix``."""
    source: str | None = None
    """The only stem of the role; None: all of them."""
    together: bool = False
    """Whether the role has several stems and all of them are meant."""
    side: Side | None = None
    """The only channel; None: all of them."""


@dataclass(frozen=True)
class Prediction:
    """The figures that a remedy would give; None for what does not follow from it or is not known."""

    speech_to_background_lu: float | None = None
    """At the thinnest place of the passages that it is for."""
    audibility: float | None = None
    """Of the same passages, 0 to 1."""
    clear_share: float | None = None
    """The share of the programme's speech that is in the clear, 0 to 1."""
    integrated_lufs: float | None = None
    true_peak_dbtp: float | None = None


@dataclass(frozen=True)
class Remedy:
    """A change of a part of the sound, on top of how it is in the delivered mix, and what that would give."""

    action: str
    part: Part
    amount_db: float
    points: tuple[Point, ...] = ()
    then: Prediction = field(default_factory=Prediction)
    headroom_missing_db: float | None = None
    """By how much a peak would pass the limit; None where none does."""
    enough: bool = True
    """Whether the fault is gone afterwards, with the headroom that there is."""

    @property
    def role(self) -> str:
        """The role of its part."""
        return self.part.role

    @property
    def sound(self) -> bool:
        """Whether the fault is gone without a new one."""
        return self.enough


@dataclass(frozen=True)
class LevelMove(Remedy):
    """Music, effects or voice moved up or down under a stretch of speech, and how that lies beside its like."""

    stands_off_db: float | None = None
    """By how much the voice then stands over the other passages, or the music under its bed elsewhere; None where that
    is within the spec."""
    to_bed: bool = False
    """Whether it brings the music to where its bed is elsewhere, which may be further than is needed here."""

    @property
    def sound(self) -> bool:
        """Whether the fault is gone without a new one."""
        return self.enough and self.stands_off_db is None


@dataclass(frozen=True)
class BandCuts(Remedy):
    """Cuts by band, whole from the second of its points to the third, fading from the first and to the last."""

    bands: tuple[PeakingFilter, ...] = ()


@dataclass(frozen=True)
class ProgrammeGain(Remedy):
    """One gain on a role over the whole programme."""

    then_whole_db: float | None = None
    """What the whole mix wants afterwards to be as loud as it should; None where it is."""


Remedies = tuple[Remedy | None, tuple[Remedy, ...]]
"""The remedy and its alternatives."""
