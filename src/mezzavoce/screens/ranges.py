"""What of a file is programme, in words and for the strip."""

from dataclasses import dataclass
from typing import Any

from mezzavoce_core.timecode import Clock

from ..library.models import Mix


@dataclass(frozen=True)
class RangeWords:
    """In, out and what was left out, as a person reads it."""

    found: dict[str, Any]
    clock: Clock
    duration_s: float

    @property
    def is_whole(self) -> bool:
        """Whether nothing was left out."""
        return not self.found["left_out"] and len(self.found["parts"]) == 1

    @property
    def by_hand(self) -> bool:
        """Whether a person set it."""
        return bool(self.found["by_hand"])

    @property
    def words(self) -> str:
        """In and out of every part."""
        return ", ".join(self._span(p) for p in self.found["parts"])

    @property
    def left_out(self) -> str:
        """What was left out and how long it is."""
        lengths = [(o["why"], o["out_s"] - o["in_s"]) for o in self.found["left_out"]]
        if self.by_hand:
            return f"{sum(s for _, s in lengths):.1f} s in all" if lengths else ""
        return ", ".join(f"{why} {seconds:.1f} s" for why, seconds in lengths)

    @property
    def length(self) -> str:
        """Seconds of programme."""
        return f"{sum(p['out_s'] - p['in_s'] for p in self.found['parts']):.1f}"

    @property
    def parts(self) -> list[dict[str, str]]:
        """Each part with its own loudness."""
        return [
            {
                "span": self._span(p),
                "figures": f"{_one(p.get('integrated_lufs'))} LUFS, range {_one(p.get('range_lu'))} LU",
            }
            for p in self.found["parts"]
        ]

    @property
    def for_page(self) -> dict[str, Any]:
        """For the strip: parts and what is left out, in seconds of the file."""
        return {
            "parts": [[p["in_s"], p["out_s"]] for p in self.found["parts"]],
            "out": [[o["in_s"], o["out_s"], o["why"]] for o in self.found["left_out"]],
        }

    def _span(self, part: dict[str, Any]) -> str:
        return f"{self.clock.timecode_in(part['in_s'])} - {self.clock.timecode_out(part['out_s'])}"


def remarks(detail: dict[str, Any]) -> list[str]:
    """What a reader has to know about how the figures came about."""
    file, limits, said = detail["file"], detail["spec"]["limits"], []
    if file["channels"] == 1:
        said.append(
            "mono, counted as two loudspeakers (dual mono)"
            if limits["mono"] == "dual"
            else "mono, counted as one loudspeaker"
        )
    elif file["channels"] > 2:
        said.append(f"channels: {' '.join(file['channel_names'])}")
    if limits["anchor"] == "dialogue" and detail["loudness"]["dialogue_lufs"] is None:
        said.append("the spec asks for dialogue loudness; without a dialogue stem the whole programme is judged")
    if file["frame_rate_varies"]:
        said.append("the picture's frame rate varies, so timecodes count at the rate given, not in frames of this file")
    return said


def _one(value: float | None) -> str:
    return "none" if value is None else f"{value:.1f}"


def range_words(found: dict[str, Any] | None, mix: Mix) -> RangeWords:
    """The range of a judgement; the whole file where nothing is judged yet."""
    whole = {"parts": [{"in_s": 0.0, "out_s": mix.duration_s}], "left_out": [], "by_hand": False}
    return RangeWords(whole | (found or {}), mix.clock, mix.duration_s)
