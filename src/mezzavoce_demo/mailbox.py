"""The stand-in mailbox: an SMTP server on loopback that keeps each mail as a file. Nothing leaves the machine."""

import asyncio
import sys
import time
from pathlib import Path

from aiosmtpd.handlers import AsyncMessage
from aiosmtpd.smtp import SMTP


class Keeper(AsyncMessage):
    """Keeps each message under a name that sorts by time."""

    def __init__(self, folder: Path) -> None:
        """Mails go to ``folder``."""
        super().__init__()
        self._folder = folder

    async def handle_message(self, message: object) -> None:
        """Write one message."""
        path = self._folder / f"{time.time_ns()}.eml"
        part = path.with_suffix(".part")
        part.write_bytes(message.as_bytes())  # type: ignore[attr-defined]
        part.rename(path)


async def serve(folder: Path, port: int) -> None:
    """Take mail until the process is ended."""
    loop = asyncio.get_running_loop()
    handler = Keeper(folder)
    server = await loop.create_server(lambda: SMTP(handler, hostname="mailbox.localhost"), "127.0.0.1", port)
    async with server:
        await server.serve_forever()


if __name__ == "__main__":
    Path(sys.argv[1]).mkdir(parents=True, exist_ok=True)
    asyncio.run(serve(Path(sys.argv[1]), int(sys.argv[2])))
