"""One-click sign-in, and the mails that the stand-in mailbox took."""

from dataclasses import dataclass
from email import message_from_bytes, policy
from email.message import EmailMessage
from email.utils import parsedate_to_datetime
from pathlib import Path

from csp.decorators import csp_replace
from django.conf import settings
from django.contrib.auth import login
from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.clickjacking import xframe_options_sameorigin
from django.views.decorators.http import require_GET, require_POST

from mezzavoce.accounts.models import Person

from .loader import PEOPLE
from .planted import told, told_again

_MOST = 50


@dataclass(frozen=True)
class Mail:
    """A mail in the box."""

    id: int
    message: EmailMessage

    @property
    def attachment(self) -> EmailMessage | None:
        """The table that came with it."""
        return next((part for part in self.message.walk() if part.get_filename()), None)

    @property
    def attachment_name(self) -> str:
        """Its file name. A template cannot ask the message itself: it would look for a header of that name."""
        return (self.attachment.get_filename() or "") if self.attachment else ""

    @property
    def at(self) -> object:
        """When it was sent."""
        return parsedate_to_datetime(self.message["Date"])


@require_POST
def sign_in_as(request: HttpRequest, role: str) -> HttpResponse:
    """Sign in as one of the invented people."""
    mail = next((mail for own, _, mail in PEOPLE if own == role), None)
    person = Person.objects.filter(mail=mail).first()
    if person is None:
        raise Http404
    login(request, person, backend="mezzavoce.accounts.backends.AccountBackend")
    return redirect("desk")


@login_required
@require_GET
def planted(request: HttpRequest) -> HttpResponse:
    """What was planted in the series, and what was found."""
    programmes = told(request.user)
    counts = {
        "found": sum(t.found for t in programmes),
        "all": sum(len(t.episode.planted) for t in programmes),
        "more": sum(t.more for t in programmes),
    }
    context = {"programmes": programmes, "again": told_again(request.user), **counts}
    return render(request, "mezzavoce_demo/planted.html", context)


@login_required
@require_GET
def mailbox(request: HttpRequest) -> HttpResponse:
    """The mails, newest first, and the chosen one."""
    mails = [_read(path) for path in _paths()]
    chosen = next((m for m in mails if str(m.id) == request.GET.get("mail")), mails[0] if mails else None)
    return render(request, "mezzavoce_demo/mailbox.html", {"mails": mails, "chosen": chosen})


@login_required
@require_GET
@xframe_options_sameorigin
@csp_replace({"default-src": ["'none'"], "style-src": ["'unsafe-inline'"], "frame-ancestors": ["'self'"]})
def body(request: HttpRequest, mail_id: int) -> HttpResponse:
    """The HTML of a mail as it came, with nothing fetched and nothing run."""
    part = _find(mail_id).message.get_body(("html", "plain"))
    return HttpResponse(
        part.get_content() if part else "",
        content_type=f"{part.get_content_type() if part else 'text/plain'}; charset=utf-8",
    )


@login_required
@require_GET
def attachment(request: HttpRequest, mail_id: int) -> HttpResponse:
    """The attached table."""
    part = _find(mail_id).attachment
    if part is None:
        raise Http404
    return HttpResponse(
        part.get_content(),
        content_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{part.get_filename()}"'},
    )


def _paths() -> list[Path]:
    return sorted(settings.MAILBOX_DIR.glob("*.eml"), reverse=True)[:_MOST]


def _find(mail_id: int) -> Mail:
    path = settings.MAILBOX_DIR / f"{mail_id}.eml"
    if not path.exists():
        raise Http404
    return _read(path)


def _read(path: Path) -> Mail:
    message = message_from_bytes(path.read_bytes(), policy=policy.default)
    return Mail(int(path.stem), message)  # type: ignore[arg-type]
