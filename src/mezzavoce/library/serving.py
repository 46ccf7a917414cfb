"""Files to the browser with byte ranges, so that a player can jump. Source: RFC 9110, section 14."""

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING

from django.core.files.storage import default_storage
from django.http import FileResponse, HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse

from .models import StoredFile

if TYPE_CHECKING:
    from django.core.files.base import File

_RANGE = re.compile(r"bytes=([0-9]{0,18})-([0-9]{0,18})")
_PIECE = 256 * 1024


def serve(request: HttpRequest, row: StoredFile, content_type: str) -> HttpResponseBase:
    """The file, or the part of it that was asked for. Permission is the caller's business."""
    wanted = _parse(request.headers.get("Range", ""), row.size)
    if wanted is None:
        response: HttpResponseBase = FileResponse(default_storage.open(row.storage_name), content_type=content_type)
    elif wanted[0] >= row.size or wanted[0] > wanted[1]:
        return HttpResponse(status=416, headers={"Content-Range": f"bytes */{row.size}"})
    else:
        first, last = wanted
        response = StreamingHttpResponse(
            _pieces(default_storage.open(row.storage_name), first, last - first + 1),
            status=206,
            content_type=content_type,
        )
        response["Content-Range"] = f"bytes {first}-{last}/{row.size}"
        response["Content-Length"] = str(last - first + 1)
    response["Accept-Ranges"] = "bytes"
    response["Cache-Control"] = "private, max-age=3600"
    response["X-Content-Type-Options"] = "nosniff"
    return response


def _parse(header: str, size: int) -> tuple[int, int] | None:
    """First and last byte of a single range; None for the whole file (also where the header is not understood)."""
    match = _RANGE.fullmatch(header.strip())
    if not match or match[1] == match[2] == "":
        return None
    if match[1] == "":
        return max(0, size - int(match[2])), size - 1
    last = int(match[2]) if match[2] else size - 1
    return int(match[1]), min(last, size - 1)


def _pieces(file: "File[bytes]", first: int, count: int) -> Iterator[bytes]:
    with file:
        file.seek(first)
        while count and (piece := file.read(min(_PIECE, count))):
            count -= len(piece)
            yield piece
