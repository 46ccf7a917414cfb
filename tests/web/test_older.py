"""An installation of an older version, restored by this one: its tables are changed, and nothing is measured anew.

``tests/data/backup-0.37.0`` is a backup in the form of ``bin/backup`` that version 0.37.0 filled: a measured mix with
two findings, one noted and sent, one allowed. Nobody in it has a password.
"""

import json
import os
import subprocess
import sys
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

ROOT = Path(__file__).parents[2]
STATE = """
import json
from mezzavoce.accounts.models import Person
from mezzavoce.dispatch.models import DispatchItem
from mezzavoce.library.models import Mix, Production
from mezzavoce.measuring.judging import rejudge
from mezzavoce.measuring.models import Run
from mezzavoce.screens.desk import desk
from mezzavoce.screens.review import Review

lead, mix = Person.objects.get(mail="lead@house.example"), Mix.objects.get()

def told():
    review = Review(Mix.objects.get(), "lead", None)
    return {
        "marks": [[m.mark.label, m.mark.kind, m.state, m.evidence["remedy"] and m.evidence["remedy"]["to_bed"]]
                  for m in review.marks],
        "figures": {f.name: [f.value, f.state] for f in review.figures},
        "verdict": review.sentence,
        "passages": len(review.judgement.detail["passages"]),
    }

before = told()
rejudge(mix)
print("STATE", json.dumps({
    "before": before, "after": told(), "runs": Run.objects.count(), "sent": DispatchItem.objects.count(),
    "must": Production.objects.get().spec_version.limits["clear_share_must"],
    "standing": desk(lead, Production.objects.get()).rows[0].standing.word, "administrators":
    Person.objects.filter(is_administrator=True).count(),
}))
"""


class OlderTest(TestCase):
    def test_of_0_37_0(self):
        data = Path(self.enterContext(TemporaryDirectory())) / "data"
        here = {name: value for name, value in os.environ.items() if not name.startswith("MEZZAVOCE_")}
        environment = here | {"MEZZAVOCE_DATA_DIR": str(data), "MEZZAVOCE_PLAIN_STATIC": "1"}
        self.run_it(environment, "restore", str(ROOT / "tests" / "data" / "backup-0.37.0"))
        said = self.run_it(environment, "manage", "shell", "-c", STATE)
        (line,) = [line for line in said.splitlines() if line.startswith("STATE ")]
        state = json.loads(line.removeprefix("STATE "))
        self.assertEqual(
            [mark[:3] for mark in state["before"]["marks"]],
            [["A", "integrated-off-target", "noted"], ["B", "duck-missing", "allowed"]],
        )
        self.assertEqual(state["after"], state["before"], "judged again from what 0.37.0 measured")
        self.assertEqual((state["runs"], state["sent"], state["must"]), (1, 1, 0.8))
        self.assertEqual(state["standing"], "waits for answers")

    def run_it(self, environment, module, *arguments):
        done = subprocess.run(
            [sys.executable, "-W", "ignore", "-m", f"mezzavoce_host.{module}", *arguments],
            env=environment,
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        return done.stdout
