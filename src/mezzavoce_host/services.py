"""A private MariaDB and a private Redis on loopback, for one machine and for the tests.

A server that is there already is not touched.
"""

import getpass
import os
import secrets
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import MySQLdb

_PATIENCE_S = 60
APPLICATION_USER = "mezzavoce"


class CannotStart(Exception):
    """Something needed is missing or taken; ``str(error)`` says what to do."""


@dataclass(frozen=True)
class Database:
    """Where a running database is and how the application signs in."""

    port: int
    password: str


def free_port(wanted: int, variable: str | None = None) -> int:
    """The wanted port of loopback, or the next free one. One that was asked for by ``variable`` has to be free."""
    asked = os.environ.get(variable, "") if variable else ""
    for port in [int(asked)] if asked else range(wanted, wanted + 200):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
    raise CannotStart(
        f"Port {asked or wanted} is taken by another program. Set {variable or 'another port'} to a free one."
    )


def secret(folder: Path, name: str) -> str:
    """A secret kept in the data folder, made at the first call."""
    path = folder / "secrets" / name
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(secrets.token_urlsafe(40), encoding="ascii")
    return path.read_text(encoding="ascii")


@contextmanager
def mariadb(folder: Path, port: int, *, durable: bool = True) -> Iterator[Database]:
    """A database server of one's own, its data in a folder, ended with the block."""
    password = secret(folder, "database")
    home = folder / "mariadb"
    run = home / "run"
    run.mkdir(parents=True, exist_ok=True)
    user = getpass.getuser()
    if not (home / "data").exists():
        _install(home, user)
    fast = [] if durable else ["--innodb-flush-log-at-trx-commit=0", "--innodb-doublewrite=0"]
    grants = _write_grants(folder, password)
    # The socket is named relative to the data, because its path may have only about a hundred characters.
    process = subprocess.Popen(
        [
            find_program("mariadbd"),
            "--no-defaults",
            f"--user={user}",
            f"--datadir={home / 'data'}",
            "--socket=../run/mariadb.sock",
            f"--pid-file={run / 'mariadb.pid'}",
            "--bind-address=127.0.0.1",
            f"--port={port}",
            "--character-set-server=utf8mb4",
            "--collation-server=utf8mb4_unicode_ci",
            "--skip-log-bin",
            "--skip-name-resolve",
            f"--log-error={run / 'error.log'}",
            f"--tmpdir={run}",
            "--innodb-buffer-pool-size=128M",
            f"--init-file={grants}",
            *fast,
        ],
        stdin=subprocess.DEVNULL,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
    )
    try:
        _wait_for_database(Database(port, password), process, run / "error.log")
        yield Database(port, password)
    finally:
        end(process)


def _install(home: Path, user: str) -> None:
    part = home / "data.part"
    shutil.rmtree(part, ignore_errors=True)
    done = subprocess.run(
        [
            find_program("mariadb-install-db"),
            "--no-defaults",
            f"--datadir={part}",
            "--auth-root-authentication-method=normal",
            "--skip-test-db",
            f"--user={user}",
        ],
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        raise CannotStart(f"The database could not be set up in {home}:\n{done.stdout[-800:]}{done.stderr[-800:]}")
    part.rename(home / "data")


def _write_grants(folder: Path, password: str) -> Path:
    """What the server runs as it starts: the application's user, its database and the ones of its tests."""
    path = folder / "secrets" / "grants.sql"
    lines = [f"CREATE DATABASE IF NOT EXISTS {APPLICATION_USER};"]
    for host in ("127.0.0.1", "localhost"):
        who = f"'{APPLICATION_USER}'@'{host}'"
        lines.append(f"CREATE OR REPLACE USER {who} IDENTIFIED BY '{password}';")
        lines.append(f"GRANT ALL ON {APPLICATION_USER}.* TO {who};")
        lines.append(f"GRANT ALL ON `test\\_{APPLICATION_USER}%`.* TO {who};")
    path.touch(mode=0o600)
    path.write_text("\n".join(lines) + "\n", encoding="ascii")
    return path


def _wait_for_database(database: Database, process: "subprocess.Popen[bytes]", log: Path) -> None:
    end_at = time.monotonic() + _PATIENCE_S
    while True:
        try:
            MySQLdb.connect(
                host="127.0.0.1",
                port=database.port,
                user=APPLICATION_USER,
                password=database.password,
                database=APPLICATION_USER,
            ).close()
        except MySQLdb.OperationalError:
            if process.poll() is not None or time.monotonic() > end_at:
                tail = log.read_text(encoding="utf-8", errors="replace")[-800:] if log.exists() else ""
                raise CannotStart(f"The database did not start. Its last words:\n{tail}") from None
            time.sleep(0.1)
        else:
            return


@contextmanager
def redis(folder: Path, port: int) -> Iterator[str]:
    """A queue server of one's own, ended with the block; yields its address without a database number."""
    home = folder / "redis"
    home.mkdir(parents=True, exist_ok=True)
    process = subprocess.Popen(
        [
            find_program("redis-server"),
            "--port",
            str(port),
            "--bind",
            "127.0.0.1",
            "--dir",
            str(home),
            "--save",
            "",
            "--appendonly",
            "no",
            "--logfile",
            str(home / "redis.log"),
        ],
        stdin=subprocess.DEVNULL,
        start_new_session=True,
    )
    try:
        _wait_for_port(port, process)
        yield f"redis://127.0.0.1:{port}"
    finally:
        end(process)


def _wait_for_port(port: int, process: "subprocess.Popen[bytes]") -> None:
    end_at = time.monotonic() + _PATIENCE_S
    while time.monotonic() < end_at and process.poll() is None:
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return
        time.sleep(0.05)
    raise CannotStart(f"The queue did not start on port {port}.")


def end(process: "subprocess.Popen[bytes]") -> None:
    """End a process that was started here, gently first."""
    if process.poll() is None:
        process.send_signal(signal.SIGTERM)
        try:
            process.wait(timeout=30)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def find_program(name: str) -> str:
    """Where a program is. Raises CannotStart where it is missing."""
    for folder in ("", "/usr/sbin", "/usr/bin"):
        found = shutil.which(name, path=folder or None)
        if found:
            return found
    raise CannotStart(f"The program “{name}” is missing; bin/serve, bin/demo and bin/test install it.")
