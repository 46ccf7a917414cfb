"""What is told from a mix alone, against what is known of it."""

import json
from dataclasses import asdict, dataclass, field

import numpy as np

from mezzavoce_core.judge.judging import judge
from mezzavoce_core.measure.measurement import Measurement
from mezzavoce_core.measure.separation.network import axis_of, listen, stretches
from mezzavoce_core.measure.separation.separated import TraceKeeper, first_look, separate
from mezzavoce_core.measure.speech import active_share
from mezzavoce_core.units import power_to_db
from tests.evaluation.material import RATE
from tests.evaluation.mix_plans import make_mix, under
from tests.evaluation.scores import CORNERS, SPEC, _overlap
from tests.signals import info, levels_of

LIMIT_LU = 10.0
_PIECE = 10 * RATE


@dataclass
class Told:
    """One passage: the true ratio, what was told after the first look and at the end, its interval and decision."""

    true: float
    quick: float | None
    ratio: float
    low: float
    high: float
    certainty: float
    conditions: list[str]


@dataclass
class MixScore:
    """Figures of one mix. ``speech``: blocks hit, false and missed; ``silent``: blocks without speech."""

    condition: str
    minutes: float
    speech: tuple[int, int, int] = (0, 0, 0)
    silent: int = 0
    passages: list[Told] = field(default_factory=list)
    ducks: int = 0
    found: int = 0
    false_ducks: int = 0
    depth_errors: list[float] = field(default_factory=list)
    time_errors: list[float] = field(default_factory=list)
    must: list[str] = field(default_factory=list)


def measured(samples):
    """A mix as the worker measures it: after the first look, and after the network has heard it."""
    keeper = TraceKeeper(RATE, "stereo", 2, len(samples) / RATE)
    pieces = [samples[k : k + _PIECE] for k in range(0, len(samples), _PIECE)]
    for piece in pieces:
        keeper.feed(piece)
    whole = levels_of(samples, between_samples=False)
    traces = keeper.finish().over(len(whole.power))
    bare = Measurement(info(len(samples) / RATE, channels=2), "evaluation", whole, ())
    look = first_look(traces)
    wanted = stretches(look.passages, len(whole.power))
    on_axis = axis_of("stereo", 2, look.sound.axis_deg, in_centre=False)
    voice = listen(pieces, wanted, on_axis, len(whole.power), None, lambda _: None) if wanted else None
    quick, thorough = (separate(look, RATE, heard) for heard in (None, voice))
    return bare.with_estimates(quick), bare.with_estimates(thorough, traces.spectrum).with_music_gain()


def scored(wanted):
    """The score of a plan, kept beside the material under the plan and the code."""
    from tests.evaluation.kept import folder_of

    kept = folder_of(repr(wanted))
    if kept.exists():
        facts = json.loads(kept.read_text())
        return MixScore(**facts | {"passages": [Told(**t) for t in facts["passages"]]})
    found = score(wanted)
    kept.write_text(json.dumps(asdict(found)))
    return found


def score(wanted):
    """Make the mix, measure, judge, compare."""
    mix = make_mix(wanted)
    samples = (mix.dialogue + under(mix)).astype(np.float32)
    quick, thorough = measured(samples)
    found = MixScore(wanted.condition, len(samples) / RATE / 60)
    judged = judge(thorough, SPEC)
    found.must = [f.kind for f in judged.findings if f.severity == "must"]
    _speech(found, mix, judged.context)
    _passages(found, mix, judged.context, judge(quick, SPEC).context)
    _ducks(found, mix, judged.context.ducks)
    return found


def _speech(found, mix, context):
    seen = context.balance.active
    count = len(seen)
    true, edge = active_share(_truth(mix, count * 10)) >= 0.5, np.zeros(count, dtype=bool)
    for t in np.ravel(mix.speech):
        edge[max(0, int(t * 10) - 1) : int(t * 10) + 2] = True
    true, seen = true[~edge], seen[~edge]
    found.speech = int((true & seen).sum()), int((~true & seen).sum()), int((true & ~seen).sum())
    found.silent = int((~true).sum())


def _truth(mix, ticks):
    flags = np.zeros(ticks, dtype=bool)
    for a, b in mix.speech:
        flags[round(a * 100) : round(b * 100)] = True
    return flags


def _passages(found, mix, context, quick):
    """Against the voice over all under it in the true words of each passage that was found."""
    voice, background = (
        levels_of(x, between_samples=False, faults=False).power.sum(axis=1).astype(float)
        for x in (mix.dialogue, under(mix))
    )
    spoken = _truth(mix, len(voice))
    first_looks = {(p.in_s, p.out_s): p.speech_to_background for p in quick.passages}
    for p in context.passages:
        here = np.flatnonzero(spoken[round(p.in_s * 100) : round(p.out_s * 100)]) + round(p.in_s * 100)
        if len(here) < 80 or p.speech_to_background is None:
            continue
        true = float(power_to_db(voice[here].sum()) - power_to_db(background[here].sum()))
        e, first = p.speech_to_background, first_looks.get((p.in_s, p.out_s))
        conditions = context.measurement.separation.conditions_between(p.in_s, p.out_s)
        found.passages.append(
            Told(true, first and first.value, e.value, e.low, e.high, e.beyond(LIMIT_LU), list(conditions))
        )


def _ducks(found, mix, ducks):
    """None where the mix says that they cannot be told."""
    if ducks is None:
        return
    true, used = [t for t in mix.trapezoids if t.depth_db >= 5], set()
    for t in true:
        near = [d for d in ducks if id(d) not in used and _overlap(d, t)]
        if near:
            best = min(near, key=lambda d: sum(abs((getattr(d, c) or 0) - getattr(t, c)) for c in CORNERS))
            used.add(id(best))
            found.found += 1
            found.depth_errors.append(abs(best.depth_db - t.depth_db))
            found.time_errors += [
                abs(getattr(best, c) - getattr(t, c)) for c in CORNERS if getattr(best, c) is not None
            ]
    found.ducks, found.false_ducks = len(true), sum(id(d) not in used for d in ducks)
