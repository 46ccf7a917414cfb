"""What the core is asked about a mix: its files as an order, the samples of a moment, a passage to listen to."""

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from typing import Any

from ..config.refusals import Refused
from ..library.models import Mix, Track
from ..library.sounds import order_part, sounds, tracks_of
from ..library.storage import local_copy
from ..processes import core as core_process
from ..processes.folders import work_folder

_LONGEST_MOMENT_S = 0.2
LONGEST_SOUND_S = 60


@contextmanager
def request_for(mix: Mix, *roles: str) -> Iterator[dict[str, Any]]:
    """The order's part about files (with ``roles``, of these sounds alone).

    Its paths hold for as long as the block runs.
    """
    tracks = [t for t in tracks_of(mix) if not roles or t.role in roles]
    with ExitStack() as copies:
        paths = {t.pk: str(copies.enter_context(local_copy(t.file))) for t in tracks}
        mixed, *stems = [order_part(role, own, layout, paths) for role, own, layout in sounds(tracks, mix.layout)]
        yield {"mix": mixed, "stems": stems, "rate": mix.rate_in_core, "start": mix.start_timecode}


def samples(mix: Mix, from_s: float, length_s: float) -> dict[str, Any]:
    """The samples of a moment of a mix, at most a fifth of a second: rate and channels."""
    if not 0 < length_s <= _LONGEST_MOMENT_S:
        raise Refused(f"A moment lasts up to {_LONGEST_MOMENT_S} s; ask for less.")
    with request_for(mix, Track.Role.MIX) as order:
        found: dict[str, Any] = core_process.ask_now("samples", sound=order["mix"], from_s=from_s, length_s=length_s)
    return found


def passage_sound(mix: Mix, what: str, span: tuple[float, float], change: dict[str, Any] | None = None) -> bytes:
    """A stretch of a mix, or of one of its roles, as a WAV file for two loudspeakers.

    With a remedy as it is proposed.
    """
    if what not in (Track.Role.values):
        raise Refused("One can hear the mix or one of its stems.")
    if not 0 < span[1] - span[0] <= LONGEST_SOUND_S:
        raise Refused(f"A passage to be heard lasts up to {LONGEST_SOUND_S} s; go closer.")
    with work_folder() as folder, request_for(mix) as order:
        target = folder / "heard.wav"
        core_process.ask_now(
            "listen", **order, what=what, from_s=span[0], to_s=span[1], change=change, target=str(target)
        )
        return target.read_bytes()
