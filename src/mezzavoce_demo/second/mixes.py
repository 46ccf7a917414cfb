"""What is different about the second mixes, and what a recheck has to say of each. All of it is made up.

Times are seconds of the first mix.
"""

from dataclasses import dataclass


@dataclass(frozen=True)
class Move:
    """A gain that the editor gave a stem, faded in and out."""

    role: str
    in_s: float
    out_s: float
    by_db: float
    fade_s: float = 0.4


@dataclass(frozen=True)
class PutIn:
    """A scene of another programme, put in at a time; its music ``music_db`` off."""

    at_s: float
    number: int
    from_s: float
    length_s: float
    music_db: float = 0.0


@dataclass(frozen=True)
class Becomes:
    """What a recheck has to say of a fault of the first mix: its kind, about where it lies, the result."""

    kind: str
    at_s: float
    result: str


@dataclass(frozen=True)
class SecondMix:
    """The second mix of a programme: what was done, and what became of its faults; ``new`` are kinds that came."""

    number: int
    words: str
    moves: tuple[Move, ...] = ()
    cut: tuple[tuple[float, float], ...] = ()
    put_in: tuple[PutIn, ...] = ()
    becomes: tuple[Becomes, ...] = ()
    new: tuple[str, ...] = ()


SECOND_MIXES: tuple[SecondMix, ...] = (
    SecondMix(
        15,
        "the music was lowered throughout, and everything is cured",
        moves=(Move("music", 1.0, 70.0, -6.0),),
        becomes=(
            Becomes("clear-share-low", 30.0, "cured"),
            Becomes("duck-shallow", 8.0, "cured"),
            Becomes("duck-shallow", 23.0, "cured"),
            Becomes("duck-shallow", 40.0, "cured"),
            Becomes("duck-shallow", 57.0, "cured"),
        ),
    ),
    SecondMix(
        3,
        "a scene went out and another came in, over whose voice the music stands",
        cut=((36.0, 47.0),),
        put_in=(PutIn(75.0, 1, 3.0, 12.0, 12.0),),
        becomes=(
            Becomes("masked-speech", 24.0, "same"),
            Becomes("first-word-masked", 40.0, "gone"),
            Becomes("effect-over-speech", 61.0, "same"),
        ),
        new=("clear-share-low", "duck-shallow"),
    ),
    SecondMix(
        12,
        "half of it is mended: the dip where nobody speaks is out, the deep one is less deep, the shallow one went the "
        "wrong way",
        moves=(Move("music", 19.5, 27.0, 3.0), Move("music", 29.2, 31.4, 11.0, 0.3), Move("music", 52.9, 60.6, 4.0)),
        becomes=(
            Becomes("duck-shallow", 22.0, "worse"),
            Becomes("duck-stray", 30.0, "cured"),
            Becomes("duck-plunge", 56.0, "better"),
            Becomes("duck-early", 85.0, "same"),
        ),
    ),
)
