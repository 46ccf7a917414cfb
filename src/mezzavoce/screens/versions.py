"""Versions of what pages show: a few look-ups by index, so that asking every few seconds costs nearly nothing."""

from collections.abc import Sequence
from datetime import UTC, datetime

from django.db.models import Max, Sum

from ..accounts.models import AuditEntry
from ..config.refresh import Version
from ..dispatch.models import Answer
from ..library.models import Mix
from ..measuring.models import Correction, Judgement, Run
from ..measuring.selectors import active_runs
from ..notes.models import Decision, Note, Trim


def version_of_review(mix: Mix, judgement: Judgement | None, run: Run | None) -> Version:
    """What a mix's review is drawn from.

    The judgement, what people did to it, and how its newest run and its playback are.
    """
    counted = {
        "decisions": Decision.objects.filter(mix=mix).aggregate(n=Max("pk"))["n"],
        "answers": Answer.objects.filter(item__dispatch__mix=mix).aggregate(n=Max("pk"))["n"],
        "notes": Note.objects.filter(mix=mix).aggregate(n=Sum("version"))["n"],
        "bounds": Trim.objects.filter(mix=mix, withdrawn=None).aggregate(n=Max("pk"))["n"],
        "corrections": Correction.objects.filter(mix=mix, withdrawn=None).aggregate(n=Max("pk"))["n"],
    }
    return {
        "judged": f"{judgement.pk}@{judgement.judged_at.timestamp()}" if judgement else "0",
        **{name: str(count or 0) for name, count in counted.items()},
        "run": f"{run.pk}{run.state}" if run else "0",
        "progress": f"{run.progress:.3f}{run.stage}" if run else "0",
        "playback": mix.playback.state,
    }


def version_of_desk(productions: Sequence[int], seen: Version) -> Version:
    """What a list of the programmes of some productions is drawn from.

    What people did stands in the audit trail; what workers ended is looked for since ``seen``.
    """
    trail = AuditEntry.objects.filter(production__in=productions).aggregate(n=Max("pk"))["n"] or 0
    since = _time(seen.get("ended", ""))
    judged = Judgement.objects.filter(judged_at__gt=since, run__mix__programme__production__in=productions)
    ended = Run.objects.filter(finished__gt=since, mix__programme__production__in=productions)
    newest = max(judged.aggregate(n=Max("judged_at"))["n"] or since, ended.aggregate(n=Max("finished"))["n"] or since)
    return {
        "trail": str(trail),
        "ended": str(newest.timestamp()),
        "runs": ",".join(f"{r.pk}{r.state[0]}{r.progress:.3f}{r.stage}" for r in active_runs(productions)) or "none",
    }


def _time(text: str) -> datetime:
    try:
        return datetime.fromtimestamp(float(text), UTC)
    except (ValueError, OverflowError, OSError):
        return datetime.fromtimestamp(0, UTC)
