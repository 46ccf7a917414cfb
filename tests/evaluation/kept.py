"""Scores of mixes that were measured before, by the same code.

A run of an hour or two that was broken off goes on where it was.
"""

import dataclasses
import hashlib
import json
import os
import platform
import shutil
from pathlib import Path

import numpy as np
import scipy

from tests.evaluation import material
from tests.evaluation.scores import Beside, Followed, Score, score

_ROOT = Path(__file__).parents[2]
_AFTERWARDS = {"__main__.py", "kept.py", "plans.py", "remedies.py", "tables.py", "mix_tables.py"}
"""Modules of the evaluation that change no score: a plan is part of the name under which its score is kept."""


def scored(plan):
    """The score of a plan, as it was kept or anew."""
    kept = _folder() / f"{hashlib.sha256(repr(plan).encode()).hexdigest()[:20]}.json"
    if kept.exists():
        facts = json.loads(kept.read_text())
        lists = {
            "others": [Beside(**b) for b in facts.pop("others")],
            "followed": [Followed(**f) for f in facts.pop("followed")],
        }
        return Score(plan, **facts, **lists)
    found = score(plan)
    part = kept.with_suffix(f".{os.getpid()}")
    facts = {f.name: getattr(found, f.name) for f in dataclasses.fields(found) if f.name != "plan"}
    part.write_text(json.dumps(facts, default=dataclasses.asdict))
    part.rename(kept)
    return found


def folder_of(name):
    """Where the score of whatever has this name is kept."""
    return _folder() / f"{hashlib.sha256(name.encode()).hexdigest()[:20]}.json"


def forget_others():
    """Removes what other code has found."""
    for folder in _folder().parent.iterdir():
        if folder != _folder():
            shutil.rmtree(folder)


def _folder():
    folder = material.folder() / "scores" / _CODE
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def _code():
    """What the code is that a score comes from, as a short name."""
    core = _ROOT / "src/mezzavoce_core"
    sources = [
        *(p for p in core.rglob("*.py") if p != core / "__init__.py"),  # which holds no more than the version
        _ROOT / "src/mezzavoce_demo/studio/music.py",
        _ROOT / "tests/signals.py",
        *(p for p in Path(__file__).parent.glob("*.py") if p.name not in _AFTERWARDS),
    ]
    digest = hashlib.sha256(f"{platform.python_version()} {np.__version__} {scipy.__version__}".encode())
    for source in sorted(sources):
        digest.update(str(source.relative_to(_ROOT)).encode() + source.read_bytes())
    return digest.hexdigest()[:20]


_CODE = _code()
