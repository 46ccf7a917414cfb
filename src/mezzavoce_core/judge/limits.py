"""What every limit of a spec means: its name, its unit, a sentence, and the scale that it stands on.

And the published schema of spec files.
"""

from dataclasses import dataclass, fields
from typing import Any

from .spec import ANCHORS, BOUNDS, DEFAULT, MONO_WAYS, SCHEMA, Limits

GROUPS = (
    "Loudness",
    "Peaks and signal",
    "Voice over music and effects",
    "How the music gives way",
    "Cues of the music",
    "How it is counted",
)


@dataclass(frozen=True)
class LimitFacts:
    """One limit: how people call it, its unit, what it means.

    ``scale`` is the range it is shown on, ``side`` which way is out.
    """

    name: str
    group: str
    label: str
    unit: str
    means: str
    scale: tuple[float, float] = (0.0, 1.0)
    side: str = "above"
    step: float = 0.1
    choices: tuple[str, ...] = ()

    @property
    def optional(self) -> bool:
        """Whether it can be left out."""
        return not self.choices and self.name not in ("integrated_tolerance_lu", "bridge_s", "duration_tolerance_s")


_LOUD, _SIGNAL, _VOICE, _DUCK, _CUES, _COUNT = GROUPS
LIMITS: tuple[LimitFacts, ...] = (
    LimitFacts(
        "integrated_lufs",
        _LOUD,
        "Integrated loudness",
        "LUFS",
        "How loud the whole programme is to be, gated as in ITU-R BS.1770.",
        (-36, -8),
        "around",
    ),
    LimitFacts(
        "integrated_tolerance_lu",
        _LOUD,
        "Tolerance",
        "LU",
        "How far the integrated loudness may stand off, either way.",
        (0, 3),
    ),
    LimitFacts(
        "range_max_lu",
        _LOUD,
        "Loudness range, at most",
        "LU",
        "How far soft and loud parts may stand apart (EBU Tech 3342).",
        (0, 30),
        step=1,
    ),
    LimitFacts(
        "short_term_max_lufs", _LOUD, "Short-term loudness, at most", "LUFS", "The loudest three seconds.", (-36, 0)
    ),
    LimitFacts(
        "momentary_max_lufs", _LOUD, "Momentary loudness, at most", "LUFS", "The loudest 400 milliseconds.", (-36, 0)
    ),
    LimitFacts(
        "loudness_to_dialogue_max_lu",
        _LOUD,
        "Programme from dialogue, at most",
        "LU",
        "How far the programme may stand from its dialogue (EBU R 128 s4).",
        (0, 15),
    ),
    LimitFacts(
        "section_jump_lu",
        _LOUD,
        "Section from the others, at most",
        "LU",
        "How far a section of 3 s or more may stand off from the rest.",
        (0, 12),
    ),
    LimitFacts(
        "true_peak_max_dbtp",
        _SIGNAL,
        "True peak, at most",
        "dBTP",
        "The highest level of the wave itself, also between two samples.",
        (-12, 3),
    ),
    LimitFacts(
        "clipped_run_samples",
        _SIGNAL,
        "Flat tops, from",
        "samples",
        "So many samples in a row at the ceiling count as clipped.",
        (2, 20),
        step=1,
    ),
    LimitFacts(
        "dropout_s",
        _SIGNAL,
        "Drop-out, from",
        "s",
        "Silence of this length with hard edges counts as a drop-out.",
        (0, 0.5),
        step=0.01,
    ),
    LimitFacts(
        "imbalance_db",
        _SIGNAL,
        "Left from right, at most",
        "dB",
        "How far one side may stand over the other for ten seconds or more.",
        (0, 12),
    ),
    LimitFacts(
        "mono_loss_lu", _SIGNAL, "Loss in mono, at most", "LU", "What may go when left and right are added.", (0, 12)
    ),
    LimitFacts(
        "duration_s",
        _SIGNAL,
        "Length of the programme",
        "s",
        "How long the programme has to last from in to out, breaks left out.",
        (0, 7200),
        "around",
        1,
    ),
    LimitFacts(
        "duration_tolerance_s",
        _SIGNAL,
        "Tolerance of the length",
        "s",
        "How far the length may be off, either way.",
        (0, 60),
    ),
    LimitFacts(
        "clearance_lu",
        _VOICE,
        "Clearance",
        "LU",
        "How far the voice is to stand over what lies under it; below it a finding says should.",
        (0, 25),
        "below",
    ),
    LimitFacts(
        "clearance_must_lu",
        _VOICE,
        "Clearance that words need",
        "LU",
        "Below this words are lost; a finding says must.",
        (0, 25),
        "below",
    ),
    LimitFacts(
        "first_word_lu",
        _VOICE,
        "Clearance of the first word",
        "LU",
        "The same for the first half second of a passage.",
        (0, 25),
        "below",
    ),
    LimitFacts(
        "clear_share_min",
        _VOICE,
        "Speech in the clear, at least",
        "of 1",
        "Share of the speech time that reaches the clearance.",
        (0, 1),
        "below",
        0.01,
    ),
    LimitFacts(
        "clear_share_must",
        _VOICE,
        "Under this it must be mended",
        "of 1",
        "With less of the speech in the clear, all over the programme, the mix does not go out.",
        (0, 1),
        "below",
        0.01,
    ),
    LimitFacts(
        "voice_spread_lu",
        _VOICE,
        "Voice from the others, at most",
        "LU",
        "How far the voice of one passage may stand off from the rest.",
        (0, 12),
    ),
    LimitFacts(
        "noise_below_speech_lu",
        _VOICE,
        "Room under the words, at least",
        "LU",
        "How far noise between words has to lie under them.",
        (0, 60),
        "below",
    ),
    LimitFacts(
        "effect_over_speech_lu",
        _VOICE,
        "Effect over the voice, at most",
        "LU",
        "How far an effect inside speech may pass the voice.",
        (-20, 10),
    ),
    LimitFacts(
        "audibility_min",
        _VOICE,
        "Audibility, at least",
        "of 1",
        "How much of the words can be told band by band (ANSI S3.5 weights).",
        (0, 1),
        "below",
        0.01,
    ),
    LimitFacts(
        "cue_jump_lu",
        _CUES,
        "Cue from the others, at most",
        "LU",
        "How far one cue in the clear may stand off from the rest.",
        (0, 12),
    ),
    LimitFacts(
        "entry_max_db",
        _CUES,
        "Entry, at most",
        "dB",
        "How far the mix may rise within 0.1 s where a cue or effect comes in.",
        (3, 60),
        step=1,
    ),
    LimitFacts(
        "end_ramp_min_s",
        _CUES,
        "End of a cue, at least",
        "s",
        "A cue that is gone more quickly is heard as cut.",
        (0, 2),
        "below",
        0.01,
    ),
    LimitFacts(
        "fall_late_s",
        _DUCK,
        "Late fall, from",
        "s",
        "How long after the first word the music may still be falling.",
        (0, 2),
        step=0.05,
    ),
    LimitFacts(
        "fall_early_s", _DUCK, "Early fall, from", "s", "How long before the first word the music may be down.", (0, 5)
    ),
    LimitFacts(
        "duck_depth_max_db",
        _DUCK,
        "Depth of a duck, at most",
        "dB",
        "How far the music may fall where less would do.",
        (0, 30),
        step=0.5,
    ),
    LimitFacts(
        "bed_spread_db",
        _DUCK,
        "Bed from the others, at most",
        "dB",
        "How far one bed of the music may lie from the others.",
        (0, 12),
    ),
    LimitFacts(
        "ramp_min_s",
        _DUCK,
        "Shortest ramp",
        "s",
        "A step of 6 dB or more that is quicker than this is heard as a cut.",
        (0, 0.5),
        "below",
        0.01,
    ),
    LimitFacts(
        "ramp_max_s", _DUCK, "Longest ramp", "s", "A fall or return that takes longer smears over the words.", (0, 5)
    ),
    LimitFacts(
        "return_after_s", _DUCK, "Return, within", "s", "How long the music may stay down after the last word.", (0, 10)
    ),
    LimitFacts(
        "stray_min_db",
        _DUCK,
        "Stray dip, from",
        "dB",
        "A dip of the music this deep where nobody speaks is a fault.",
        (0, 20),
    ),
    LimitFacts(
        "channel_gain_db",
        _DUCK,
        "One side from the other, at most",
        "dB",
        "How far the music may be lowered more on one side.",
        (0, 12),
    ),
    LimitFacts(
        "bridge_s",
        _VOICE,
        "Pause inside a passage",
        "s",
        "Speech with shorter pauses than this is one passage.",
        (0, 4),
        step=0.1,
    ),
    LimitFacts(
        "anchor",
        _COUNT,
        "Anchor",
        "",
        "Whether the programme as a whole or its dialogue has to meet the integrated loudness.",
        choices=ANCHORS,
    ),
    LimitFacts(
        "mono",
        _COUNT,
        "Mono counts as",
        "",
        "One loudspeaker (single), or two that play the same (dual, 3.01 LU more).",
        choices=MONO_WAYS,
    ),
)
BY_NAME = {facts.name: facts for facts in LIMITS}


def schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of a spec file."""
    defaults = DEFAULT.as_dict()["limits"]
    limits: dict[str, Any] = {f.name: _property(BY_NAME[f.name], defaults[f.name]) for f in fields(Limits)}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Mezzavoce delivery spec",
        "description": "Limits that a mix is judged by. A limit that is missing has its default; null means: not "
        "judged.",
        "type": "object",
        "required": ["name"],
        "additionalProperties": False,
        "properties": {
            "schema": {"const": SCHEMA},
            "name": {"type": "string", "minLength": 1},
            "source": {"type": "string", "description": "The document behind the figures."},
            "limits": {"type": "object", "additionalProperties": False, "properties": limits},
        },
    }


def _property(facts: LimitFacts, default: Any) -> dict[str, Any]:
    described = {
        "description": f"{facts.label}{f', {facts.unit}' if facts.unit else ''}. {facts.means}",
        "default": default,
    }
    if facts.choices:
        return described | {"enum": list(facts.choices)}
    low, high = BOUNDS[facts.name]
    return described | {"type": ["number", "null"] if facts.optional else "number", "minimum": low, "maximum": high}
