"""What the application stands on: a data folder that one start holds, database and queue, settings, tables.

A database or queue that the environment names is used as it is; otherwise one of its own is started on loopback.
"""

import fcntl
import json
import os
from collections.abc import Iterator, Mapping
from contextlib import ExitStack, contextmanager
from pathlib import Path

from .services import CannotStart, free_port, mariadb, redis, secret

WEB_PORT = 8400
SETTINGS = "mezzavoce.config.settings"
_RUNNING = "running.json"


class _IsHeld(CannotStart):
    """Somebody else uses the data folder."""


@contextmanager
def held(data: Path) -> Iterator[Path]:
    """The data folder, which nobody else may use meanwhile."""
    data.mkdir(parents=True, exist_ok=True)
    with (data / "lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise _IsHeld(
                f"Mezzavoce is running already with the data in {data}. End that one first, or set "
                "MEZZAVOCE_DATA_DIR to another folder."
            ) from None
        yield data


@contextmanager
def furnished(data: Path, more: Mapping[str, str] | None = None) -> Iterator[int]:
    """Database, queue and settings for as long as the block runs; yields the port of the web server.

    ``more`` are further settings, which win over the environment.
    """
    with ExitStack() as stack:
        port = free_port(WEB_PORT, "MEZZAVOCE_PORT")
        os.environ.update(_database(stack, data) | _queue(stack, data))
        os.environ.setdefault("MEZZAVOCE_SECRET_KEY", "")
        os.environ.update(
            {
                "DJANGO_SETTINGS_MODULE": SETTINGS,
                "MEZZAVOCE_DATA_DIR": str(data),
                "MEZZAVOCE_PORT": str(port),
                "MEZZAVOCE_SECRET_KEY": os.environ["MEZZAVOCE_SECRET_KEY"] or secret(data, "application"),
                "MEZZAVOCE_BASE_URL": os.environ.get("MEZZAVOCE_BASE_URL") or f"http://127.0.0.1:{port}",
            }
            | dict(more or {})
        )
        with _noted(data):
            yield port


@contextmanager
def _noted(data: Path) -> Iterator[None]:
    """The settings of a start, kept where only its owner reads them, for whoever joins it (see ``with_database``)."""
    path = data / "secrets" / _RUNNING
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    path.touch(mode=0o600)
    settings = {name: value for name, value in os.environ.items() if name.startswith("MEZZAVOCE_")}
    path.write_text(json.dumps(settings), encoding="utf-8")
    try:
        yield
    finally:
        path.unlink(missing_ok=True)


@contextmanager
def with_database(data: Path) -> Iterator[None]:
    """Settings and database of an installation: of the start that runs, else of its own for as long as the block runs.

    Raises CannotStart where there is no installation.
    """
    if not (data / "secrets").exists():
        raise CannotStart(f"There is no installation in {data}; set MEZZAVOCE_DATA_DIR to its folder.")
    try:
        with held(data), furnished(data):
            yield
    except _IsHeld:
        try:
            os.environ.update(json.loads((data / "secrets" / _RUNNING).read_text(encoding="utf-8")))
            os.environ["DJANGO_SETTINGS_MODULE"] = SETTINGS
        except (OSError, ValueError):
            raise CannotStart("Mezzavoce is just starting or ending; try again in a minute.") from None
        yield


def _database(stack: ExitStack, data: Path) -> dict[str, str]:
    if os.environ.get("MEZZAVOCE_DB_HOST"):
        return {}
    own = stack.enter_context(mariadb(data, free_port(8406, "MEZZAVOCE_DB_PORT")))
    return {"MEZZAVOCE_DB_PORT": str(own.port), "MEZZAVOCE_DB_PASSWORD": own.password}


def _queue(stack: ExitStack, data: Path) -> dict[str, str]:
    if os.environ.get("MEZZAVOCE_BROKER_URL"):
        return {}
    own = stack.enter_context(redis(data, free_port(8479, "MEZZAVOCE_REDIS_PORT")))
    return {"MEZZAVOCE_BROKER_URL": f"{own}/0"}


def prepare() -> None:
    """Tables and static files; quick where they are there already. Raises CannotStart with a sentence."""
    import django
    from django.core.management import call_command
    from django.db import OperationalError

    django.setup()
    try:
        call_command("migrate", interactive=False, verbosity=0)
        call_command("createcachetable", verbosity=0)
    except OperationalError as error:
        raise CannotStart(
            f"The database does not answer ({error.args[-1]}). Check the settings that begin with MEZZAVOCE_DB_."
        ) from None
    call_command("collectstatic", interactive=False, verbosity=0)
    from mezzavoce.library.actions import ship_presets

    ship_presets()
