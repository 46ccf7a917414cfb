"""Whether something changed since a page was shown: a few look-ups by index, so that asking every few seconds costs nearly nothing."""

from datetime import UTC, datetime

from django.db.models import Max, Sum

from ..accounts.models import Change
from ..dispatch.models import Answer
from ..library.models import Mix, Production
from ..measuring.models import Correction, Judgement, Run
from ..measuring.selectors import active_runs, current_judgement
from ..notes.models import Decision, Note, Trim


def news_of_mix(mix: Mix, judgement: Judgement | None = None) -> str:
    """A sign that is another one as soon as anything of a mix's review is."""
    judgement = judgement or current_judgement(mix)
    judged = f"{judgement.pk}@{judgement.judged_at.timestamp()}" if judgement else ""
    newest = [
        Decision.objects.filter(mix=mix).aggregate(n=Max("pk"))["n"],
        Answer.objects.filter(item__dispatch__mix=mix).aggregate(n=Max("pk"))["n"],
        Note.objects.filter(mix=mix).aggregate(n=Sum("version"))["n"],
        *(rows.filter(mix=mix, withdrawn=None).aggregate(n=Max("pk"))["n"] for rows in (Trim.objects, Correction.objects)),
    ]
    return ".".join([judged, *(str(n or 0) for n in newest)])


def news_of_desk(production: Production, seen: str = "") -> str:
    """A sign that is another one as soon as anything on the desk is. What people do is in the trail; what workers do is looked for since ``seen``."""
    trail = Change.objects.filter(production=production).aggregate(n=Max("pk"))["n"] or 0
    runs = ",".join(f"{r.pk}{r.state[0]}{r.progress:.3f}{r.stage}" for r in active_runs(production))
    since = _since(seen)
    judged = Judgement.objects.filter(judged_at__gt=since, run__mix__programme__production=production).aggregate(n=Max("judged_at"))["n"] or since
    ended = Run.objects.filter(finished__gt=since, mix__programme__production=production).aggregate(n=Max("finished"))["n"] or since
    return f"{max(judged, ended).timestamp()}|{trail}|{runs}"


def _since(seen: str) -> datetime:
    try:
        return datetime.fromtimestamp(float(seen.split("|", 1)[0]), UTC)
    except (ValueError, OverflowError, OSError):
        return datetime.fromtimestamp(0, UTC)
