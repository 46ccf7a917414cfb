"""Links that work once: made, found again by their token, used up."""

from datetime import timedelta
from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest
from django.urls import reverse
from django.utils import timezone

from ..accounts.guard import check_links, count_miss
from ..dispatch.tokens import hash_of, new_seed, token_for
from .models import PersonalLink

Purpose = PersonalLink.Purpose
LASTS = {
    Purpose.FIRST: timedelta(hours=24),
    Purpose.INVITATION: timedelta(days=14),
    Purpose.PASSWORD: timedelta(hours=2),
}
_PAGES = {Purpose.FIRST: "first-account", Purpose.INVITATION: "invitation", Purpose.PASSWORD: "new-password"}


def make_link(purpose: Purpose, **facts: Any) -> PersonalLink:
    """A new link that lasts as long as its purpose allows."""
    seed = new_seed()
    return PersonalLink.objects.create(
        purpose=purpose,
        seed=seed,
        token_hash=hash_of(token_for(seed)),
        expires=timezone.now() + LASTS[purpose],
        **facts,
    )


def address_of(link: PersonalLink) -> str:
    """The link as it stands in a mail; made again from its seed."""
    return settings.BASE_URL + reverse(_PAGES[Purpose(link.purpose)], args=[token_for(link.seed)])


def open_link(request: HttpRequest, purpose: Purpose, token: str) -> PersonalLink:
    """The link of a token, as long as it opens.

    Raises Http404 otherwise, whether it never was, has been used, was withdrawn, or has run out; and TooOften where too
    many were tried.
    """
    check_links(request)
    link = (
        PersonalLink.objects.select_related("production", "by", "person")
        .filter(purpose=purpose, token_hash=hash_of(token))
        .first()
    )
    if link is None or not link.open:
        count_miss(request)
        raise Http404
    return link


def use_up(link: PersonalLink) -> bool:
    """Mark a link as used; False where somebody was first. Called inside a transaction."""
    return bool(PersonalLink.objects.filter(pk=link.pk, used_at=None, withdrawn=False).update(used_at=timezone.now()))
