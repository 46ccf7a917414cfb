"""Pages that keep themselves fresh: a page sends the version that it shows, the server answers with what changed since.

A version has a sign for each source that a page draws from; nothing is built for a source whose sign is still the same.
"""

from collections.abc import Iterable, Mapping
from typing import Any
from urllib.parse import parse_qsl, urlencode

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.template.loader import render_to_string

Version = Mapping[str, str]
"""The sign of each source, by its name."""
_MOST_SOURCES = 20


def encoded(version: Version) -> str:
    """A version as a page carries it."""
    return urlencode(version)


def seen_by(request: HttpRequest) -> Version:
    """The version that the page shows; empty where it says none."""
    try:
        return dict(parse_qsl(request.GET.get("seen", ""), max_num_fields=_MOST_SOURCES))
    except ValueError:
        return {}


def changed(version: Version, seen: Version) -> set[str]:
    """The sources whose sign is another one by now."""
    return {name for name, sign in version.items() if seen.get(name, "") != sign}


def rendered(request: HttpRequest, parts: Iterable[tuple[str, str]], context: Mapping[str, Any]) -> dict[str, str]:
    """Parts of a page, each from its template, by name."""
    return {name: render_to_string(template, dict(context), request) for name, template in parts}


def respond(version: Version, what: Mapping[str, Any]) -> HttpResponse:
    """What changed, with the version that it makes; 204 where nothing did."""
    return JsonResponse({"version": encoded(version), **what}) if what else HttpResponse(status=204)
