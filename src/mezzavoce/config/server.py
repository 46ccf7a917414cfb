"""The web server.

Requests are read by one loop and only then given to a thread, so that half-sent ones and idle connections hold none.
"""

import os

from waitress import serve

from .wsgi import application

_OPTIONS = {
    "threads": 12,
    "connection_limit": 1000,
    "backlog": 512,
    # An idle or half-sent connection is kept for so long, seconds.
    "channel_timeout": 75,
    "cleanup_interval": 15,
    # More than a thousand connections are too many for the older way to wait for them.
    "asyncore_use_poll": True,
    "ident": None,
}


def main() -> None:
    """Serve on loopback until the process is ended.

    Forwarded headers count from the proxy that ``MEZZAVOCE_TRUSTED_PROXY`` names, and from nobody else.
    """
    proxy = os.environ.get("MEZZAVOCE_TRUSTED_PROXY")
    trusted = (
        {"trusted_proxy": proxy, "trusted_proxy_headers": "x-forwarded-for x-forwarded-proto x-forwarded-host"}
        if proxy
        else {}
    )
    serve(application, host="127.0.0.1", port=int(os.environ["MEZZAVOCE_PORT"]), **_OPTIONS, **trusted)


if __name__ == "__main__":
    main()
