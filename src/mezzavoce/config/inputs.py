"""Values as requests bring them: read once, in one way, whatever somebody sent."""

import math
import re
import unicodedata

from django.http import HttpRequest
from django.utils.http import url_has_allowed_host_and_scheme

from .refusals import Refused

_WHOLE = re.compile(r"[0-9]{1,18}")
_NUMBER = re.compile(r"[+-]?[0-9]{1,12}(\.[0-9]{0,12})?([eE][+-]?[0-9]{1,2})?")
MOST_BYTES = 10_000_000
"""The largest file that is read as a whole while a page waits."""
KEY_LENGTH = 40
"""The longest key that makes a repeated request harmless."""


def whole(text: str | None) -> int | None:
    """A whole number, none below 0, that a database can hold; None for anything else."""
    return int(text) if text is not None and _WHOLE.fullmatch(text) else None


def number(text: str | None) -> float | None:
    """A finite number; None for anything else."""
    value = float(text) if text is not None and _NUMBER.fullmatch(text.strip()) else math.inf
    return value if math.isfinite(value) else None


def one_line(text: str, most: int, what: str) -> str:
    """A name or a title: one line, without control characters or signs that turn the direction of what follows.

    Raises Refused where it is longer than ``most`` characters.
    """
    kept = "".join(
        " " if sign in "\r\n\t" else sign
        for sign in text
        if sign in "\r\n\t" or unicodedata.category(sign) not in ("Cc", "Cf", "Cs")
    )
    line = " ".join(kept.split())
    if len(line) > most:
        raise Refused(f"{what} may have {most} characters; this has {len(line)}. Shorten it.")
    return line


def whole_file(request: HttpRequest) -> bytes:
    """A small file that a form brings in its field ``file``. Raises Refused where there is none, or it is too large."""
    file = request.FILES.get("file")
    if file is None:
        raise Refused("No file was chosen. Choose one, then hand it in.")
    if (file.size or 0) > MOST_BYTES:
        raise Refused(
            f"This file has {(file.size or 0) / 1e6:.0f} MB; {MOST_BYTES / 1e6:.0f} are read. Is it the right one?"
        )
    content: bytes = file.read()
    return content


def way_back(request: HttpRequest) -> str:
    """The address of ours that a form wants to go back to; the desk where it names none."""
    back = request.POST.get("back", "/")
    return back if url_has_allowed_host_and_scheme(back, allowed_hosts={request.get_host()}) else "/"


def client_key(text: str | None) -> str | None:
    """The key that makes a repeated request harmless; None where there is none.

    Raises Refused for one that no page of ours makes.
    """
    if not text:
        return None
    if len(text) > KEY_LENGTH or not text.isascii():
        raise Refused("This page is out of date; reload it and do it again.")
    return text
