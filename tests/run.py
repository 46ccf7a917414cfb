"""Starts what the tests need, runs checks and tests, says how long both took, ends with one plain line."""

import os
import shutil
import subprocess
import sys
import time
from contextlib import ExitStack
from pathlib import Path

from mezzavoce_demo.second.make import make_second
from mezzavoce_demo.studio.render import render_all
from mezzavoce_host.services import CannotStart, free_port, mariadb, redis, secret

ROOT = Path(__file__).parents[1]
CHECKS = (
    ("ruff", "check", "--quiet", "src", "tests", "manage.py"),
    ("ruff", "format", "--check", "--quiet", "src", "tests", "manage.py"),
    ("mypy",),
    ("biome", "ci", "--colors=off", "src"),
    ("djlint", "--lint", "--quiet", "src"),
    ("lint-imports", "--no-cache"),
)


def main(labels: list[str]) -> int:
    data = Path(os.environ["MEZZAVOCE_DATA_DIR"]).resolve()
    begun = time.monotonic()
    passed, failed = (0, 0) if labels else check()
    checked = time.monotonic()
    try:
        with ExitStack() as stack:
            run_passed, run_failed, skipped = run(stack, data, labels)
    except CannotStart as error:
        print(error)
        return 1
    print(f"checks {checked - begun:.0f} s, tests {time.monotonic() - checked:.0f} s")
    print(f"{passed + run_passed} passed, {failed + run_failed} failed, {skipped} skipped")
    return 1 if failed + run_failed else 0


def check() -> tuple[int, int]:
    """Linter, formatter, types, import contracts; each counts as a test."""
    bad = 0
    for command in CHECKS:
        done = subprocess.run(
            [sys.executable, "-m", *command] if command[0] in ("ruff", "mypy") else list(command),
            cwd=ROOT,
            # Types of models come from the settings, which want a key.
            env=os.environ | {"MEZZAVOCE_SECRET_KEY": "for the types alone"},
            capture_output=True,
            text=True,
            check=False,
        )
        if done.returncode:
            bad += 1
            print(f"FAILED: {' '.join(command)}\n{done.stdout[-3000:]}{done.stderr[-1000:]}")
    return len(CHECKS) - bad, bad


def _media(data: Path) -> Path:
    """The demo's sound, made before tests run beside each other."""
    media = render_all(data / "demo-media", picture=False)
    make_second(media)
    return media


def run(stack: ExitStack, data: Path, labels: list[str]) -> tuple[int, int, int]:
    for name in ("files", "work", "uploads", "mailbox"):
        shutil.rmtree(data / name, ignore_errors=True)
    (data / "static").mkdir(parents=True, exist_ok=True)
    database = stack.enter_context(mariadb(data, free_port(8506), durable=False))
    broker = stack.enter_context(redis(data, free_port(8579)))
    os.environ.update(
        {
            "DJANGO_SETTINGS_MODULE": "mezzavoce.config.settings",
            "MEZZAVOCE_SECRET_KEY": secret(data, "application"),
            "MEZZAVOCE_DEMO": "1",
            "MEZZAVOCE_DATA_DIR": str(data),
            "MEZZAVOCE_DB_PORT": str(database.port),
            "MEZZAVOCE_DB_PASSWORD": database.password,
            "MEZZAVOCE_BROKER_URL": f"{broker}/0",
            "MEZZAVOCE_PLAIN_STATIC": "1",
            "MEZZAVOCE_SWEEP_S": "1",
            "MEZZAVOCE_LOG_LEVEL": "CRITICAL",
            "DJANGO_ALLOW_ASYNC_UNSAFE": "1",
            "MEZZAVOCE_TEST_MEDIA": str(_media(data)),
        }
    )
    import django

    django.setup()
    from tests.runner import PlainRunner

    parallel = 1 if labels and all(label.count(".") > 1 for label in labels) else os.cpu_count() or 2
    runner = PlainRunner(verbosity=1, interactive=False, parallel=parallel)
    runner.run_tests(labels or ["tests.core", "tests.web", "tests.browser"])
    return runner.counts


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
