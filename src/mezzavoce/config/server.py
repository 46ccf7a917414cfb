"""The web server.

Requests are read by one loop and only then given to a thread, so that half-sent ones and idle connections hold none.
Several processes may answer at one address; the kernel gives a new connection to whichever is free.
"""

import os
import signal
import socket
import sys

from waitress import serve

from .wsgi import application

_OPTIONS = {
    "threads": 12,
    "connection_limit": 1000,
    # An idle or half-sent connection is kept for so long, seconds.
    "channel_timeout": 75,
    "cleanup_interval": 15,
    # More than a thousand connections are too many for the older way to wait for them.
    "asyncore_use_poll": True,
    "ident": None,
}
_BACKLOG = 512


def main() -> None:
    """Serve on loopback until the process is ended, in ``MEZZAVOCE_WEB_PROCESSES`` processes.

    Forwarded headers count from the proxy that ``MEZZAVOCE_TRUSTED_PROXY`` names, and from nobody else.
    """
    listening = socket.create_server(("127.0.0.1", int(os.environ["MEZZAVOCE_PORT"])), backlog=_BACKLOG)
    count = int(os.environ.get("MEZZAVOCE_WEB_PROCESSES") or 1)
    if count > 1:
        _multiply(count)
    proxy = os.environ.get("MEZZAVOCE_TRUSTED_PROXY")
    trusted = (
        {"trusted_proxy": proxy, "trusted_proxy_headers": "x-forwarded-for x-forwarded-proto x-forwarded-host"}
        if proxy
        else {}
    )
    serve(application, sockets=[listening], **_OPTIONS, **trusted)


def _multiply(count: int) -> None:
    """Return in ``count`` children; this process only waits. When one child ends, all are ended."""
    children: list[int] = []
    for _ in range(count):
        child = os.fork()
        if child == 0:
            return
        children.append(child)

    def end(*_: object) -> None:
        for child in children:
            os.kill(child, signal.SIGTERM)
        sys.exit(0)

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    ended, _ = os.wait()
    children.remove(ended)
    for child in children:
        os.kill(child, signal.SIGTERM)
    sys.exit(1)


if __name__ == "__main__":
    main()
