"""Pages that let people in: the first account, invitations, passwords, one's own page, and all accounts."""

from collections.abc import Callable

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import login, logout
from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from django_ratelimit.core import is_ratelimited

from mezzavoce_core.errors import MezzavoceError

from ..accounts.access import require_administrator
from ..accounts.models import Person
from ..accounts.requests import PersonRequest
from ..config.inputs import way_back
from ..config.refusals import Refused, TooOften, wants_json
from ..library.selectors import shipped_specs
from . import accounts, mails, members
from .links import Purpose, open_link
from .models import PersonalLink
from .selectors import accounts_for

_BACKEND = "mezzavoce.accounts.backends.AccountBackend"
_GET_OR_POST = require_http_methods(["GET", "POST"])
_ASKED = {"group": "passwords", "key": "ip", "rate": "10/10m"}


def _opened(request: HttpRequest, purpose: Purpose, token: str) -> PersonalLink | HttpResponse:
    """The link, or the page that says that it does not open."""
    try:
        return open_link(request, purpose, token)
    except Http404:
        return render(request, "people/gone.html", {"purpose": purpose}, status=404)


def _tried(request: HttpRequest, template: str, context: dict[str, object], do: Callable[[], Person]) -> HttpResponse:
    """Carry a form out and sign the person in; what is refused stands over the form, and what was written stays."""
    try:
        person = do()
    except Refused as refusal:
        return render(request, template, context | {"refusal": str(refusal)}, status=refusal.status)
    login(request, person, backend=_BACKEND)
    return redirect("desk")


@never_cache
@_GET_OR_POST
def first_account(request: HttpRequest, token: str) -> HttpResponse:
    """Where the first person makes their account."""
    link = _opened(request, Purpose.FIRST, token)
    if isinstance(link, HttpResponse) or request.method == "GET":
        return link if isinstance(link, HttpResponse) else render(request, "people/first.html")
    said = request.POST
    return _tried(
        request,
        "people/first.html",
        {"said": said},
        lambda: accounts.make_first(link, said.get("name", ""), said.get("mail", ""), said.get("password", "")),
    )


@never_cache
@_GET_OR_POST
def invitation(request: HttpRequest, token: str) -> HttpResponse:
    """Join a production: as who one is, or with a new account for the address that was invited."""
    link = _opened(request, Purpose.INVITATION, token)
    if isinstance(link, HttpResponse):
        return link
    known = Person.objects.filter(mail__iexact=link.mail).exists()
    context: dict[str, object] = {"link": link, "known": known}
    if request.method == "GET":
        return render(request, "people/invitation.html", context)
    if isinstance(request.user, Person):
        members.accept(link, request.user)
        return redirect("production", link.production_id)
    if known:
        return redirect("sign-in")
    said = request.POST
    return _tried(
        request,
        "people/invitation.html",
        context | {"said": said},
        lambda: members.accept_as_new(link, said.get("name", ""), said.get("password", "")),
    )


@never_cache
@_GET_OR_POST
def ask_for_password(request: HttpRequest) -> HttpResponse:
    """Ask for a link by mail. The answer is the same whoever asks."""
    if request.method == "GET":
        return render(request, "people/ask_for_password.html")
    if is_ratelimited(request, **_ASKED, increment=True):
        raise TooOften("Too many new passwords were asked for from here. Wait ten minutes, then try again.")
    accounts.ask_for_password(request.POST.get("mail", ""))
    return render(request, "people/ask_for_password.html", {"asked": True})


@never_cache
@_GET_OR_POST
def new_password(request: HttpRequest, token: str) -> HttpResponse:
    """Choose a new password by a link."""
    link = _opened(request, Purpose.PASSWORD, token)
    if isinstance(link, HttpResponse):
        return link
    context: dict[str, object] = {"person": link.person}
    if request.method == "GET":
        return render(request, "people/new_password.html", context)
    password = request.POST.get("password", "")
    return _tried(request, "people/new_password.html", context, lambda: accounts.set_new_password(link, password))


@login_required
@require_GET
def own(request: PersonRequest) -> HttpResponse:
    """One's own page."""
    return render(request, "people/own.html")


@login_required
@require_POST
def change_own(request: PersonRequest) -> HttpResponse:
    """Name, mails and light."""
    said = request.POST
    wanted = said.get("answers_by_mail") == "yes"
    accounts.change_own(request.user, said.get("name", ""), answers_by_mail=wanted, light=said.get("light", ""))
    if said.get("words_again"):
        accounts.bring_words_back(request.user)
    messages.success(request, "Saved.")
    return redirect("own")


@login_required
@require_POST
def put_away(request: PersonRequest) -> HttpResponse:
    """The first words of a page were read."""
    accounts.put_away(request.user, request.POST.get("about", ""))
    return HttpResponse(status=204) if wants_json(request) else redirect(way_back(request))


@login_required
@require_POST
def change_password(request: PersonRequest) -> HttpResponse:
    """Another password; whoever changed it stays signed in here, and nowhere else."""
    accounts.change_password(request.user, request.POST.get("old", ""), request.POST.get("new", ""))
    login(request, request.user, backend=_BACKEND)
    messages.success(request, "Your password is changed. You are signed in here and nowhere else.")
    return redirect("own")


@login_required
@require_POST
def sign_out_everywhere(request: PersonRequest) -> HttpResponse:
    """End every session of one's own, this one too."""
    accounts.sign_out_everywhere(request.user)
    logout(request)
    return redirect("sign-in")


@login_required
@require_GET
def all_accounts(request: PersonRequest) -> HttpResponse:
    """Every account, for an administrator."""
    return render(request, "people/accounts.html", {"people": accounts_for(request.user), "specs": shipped_specs()})


@login_required
@_GET_OR_POST
def mail_server(request: PersonRequest) -> HttpResponse:
    """How mail is set, and a test mail to oneself."""
    require_administrator(request.user)
    refusal = ""
    if request.method == "POST":
        try:
            mails.send_test(request.user)
        except MezzavoceError as error:
            refusal = str(error)
        else:
            messages.success(request, f"The mail server took a test mail to {request.user.mail}; look whether it came.")
    facts = [
        ("Server", f"{settings.EMAIL_HOST}, port {settings.EMAIL_PORT}", "MEZZAVOCE_SMTP_HOST, MEZZAVOCE_SMTP_PORT"),
        ("Signs in as", settings.EMAIL_HOST_USER or "nobody", "MEZZAVOCE_SMTP_USER, MEZZAVOCE_SMTP_PASSWORD"),
        ("Encrypted", "with STARTTLS" if settings.EMAIL_USE_TLS else "not", "MEZZAVOCE_SMTP_TLS"),
        ("Mails come from", settings.DEFAULT_FROM_EMAIL, "MEZZAVOCE_MAIL_FROM"),
        ("Links in mails begin with", settings.BASE_URL, "MEZZAVOCE_BASE_URL"),
    ]
    return render(request, "people/mail_server.html", {"facts": facts, "refusal": refusal})


@login_required
@require_POST
def change_account(request: PersonRequest, person_id: int) -> HttpResponse:
    """Close or reopen an account, or make its person an administrator."""
    require_administrator(request.user)
    person = get_object_or_404(Person, pk=person_id)
    what = request.POST.get("what", "")
    if what == "close":
        accounts.close(request.user, person)
    elif what == "reopen":
        accounts.reopen(request.user, person)
    elif what in ("name", "unname"):
        accounts.name_administrator(request.user, person, wanted=what == "name")
    else:
        raise Refused("Choose what to do with this account.")
    return redirect("accounts")
