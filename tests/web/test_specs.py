"""Specs: presets stay, own ones are copied, changed in versions, exchanged as files.

Every mix is judged again without measuring.
"""

import json
from pathlib import Path

from django.core.files.storage import default_storage
from django.urls import reverse

from mezzavoce.accounts.models import AuditEntry
from mezzavoce.config.refusals import Refused
from mezzavoce.library import actions as library
from mezzavoce.library import specs
from mezzavoce.library.models import Spec, SpecVersion
from mezzavoce.measuring import actions
from mezzavoce.measuring.models import Judgement, Run
from mezzavoce.measuring.selectors import current_judgement, stale_mixes
from mezzavoce.screens.specs import read_form, spec_page
from mezzavoce_core.errors import SpecError
from mezzavoce_core.judge.limits import LIMITS
from mezzavoce_core.judge.spec import PRESETS
from tests.web.base import ProductionCase, clean, make_mix, measure_mix


class SpecCase(ProductionCase):
    def setUp(self):
        self.preset = Spec.objects.get(name="EBU R 128", production=None)
        self.client.force_login(self.lead)

    def own(self):
        return specs.copy_spec(self.lead, self.production, self.preset)

    def address(self, name, spec=None):
        return reverse(name, args=[self.production.pk, spec.pk] if spec else [self.production.pk])

    def fields(self, spec, **changed):
        limits = specs.newest(spec).as_core.as_dict()["limits"] | changed
        return {"name": spec.name} | {f.name: "" if limits[f.name] is None else limits[f.name] for f in LIMITS}


class VersionsTest(SpecCase):
    def test_presets_stay_as_they_are(self):
        with self.assertRaisesRegex(Refused, "Copy it and change the copy"):
            specs.new_version(self.lead, self.preset, {"name": "x", "limits": {}})
        answer = self.client.post(
            self.address("spec-change", self.preset), self.fields(self.preset, integrated_lufs=-20)
        )
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(self.preset.versions.count(), 1)

    def test_a_copy_has_the_same_limits_and_a_free_name(self):
        first, second = self.own(), self.own()
        self.assertEqual(specs.newest(first).limits, specs.newest(self.preset).limits)
        self.assertEqual((first.name, second.name), ("EBU R 128, own", "EBU R 128, own 2"))

    def test_only_a_lead_makes_specs(self):
        for person in (self.reviewer, self.guest):
            with self.assertRaises(Refused):
                specs.copy_spec(person, self.production, self.preset)
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(self.address("specs")).status_code, 404)
        self.client.force_login(self.guest)
        page = self.client.get(self.address("specs"))
        self.assertNotContains(page, "Save as version")

    def test_each_change_is_a_version_and_the_same_again_is_none(self):
        spec = self.own()
        self.client.post(
            self.address("spec-change", spec), self.fields(spec, integrated_lufs="-20,5", clear_share_min="")
        )
        self.client.post(
            self.address("spec-change", spec), self.fields(spec, integrated_lufs=-20.5, clear_share_min=None)
        )
        spec = Spec.objects.get(pk=spec.pk)
        self.assertEqual(spec.versions.count(), 2)
        limits = specs.newest(spec).as_core.limits
        self.assertEqual((limits.integrated_lufs, limits.clear_share_min), (-20.5, None))
        page = spec_page(self.lead, self.production, spec.pk)
        (newest, changes), (_, none) = page.history
        self.assertEqual((newest.number, newest.made_by, none), (2, self.lead, []))
        self.assertTrue(any("-23 to -20.5" in c for c in changes), changes)
        self.assertTrue(AuditEntry.objects.filter(action="change spec").exists())

    def test_an_older_version_can_be_looked_at_but_not_changed(self):
        spec = self.own()
        self.client.post(self.address("spec-change", spec), self.fields(spec, integrated_lufs=-20))
        page = self.client.get(self.address("spec", spec), {"version": "1"})
        self.assertContains(page, "version 1")
        self.assertNotContains(page, "Save as version")

    def test_what_contradicts_itself_is_refused_with_the_field(self):
        spec = self.own()
        for changed, words in (
            ({"clearance_lu": 3}, "clearance_must_lu"),
            ({"integrated_lufs": "loud"}, "Integrated"),
            ({"integrated_lufs": -200}, "integrated_lufs"),
            ({"bridge_s": ""}, "bridge_s"),
        ):
            answer = self.client.post(
                self.address("spec-change", spec), self.fields(spec, **changed), headers={"Accept": "application/json"}
            )
            self.assertEqual(answer.status_code, 422, changed)
            self.assertIn(words, answer.json()["error"])
        self.assertEqual(spec.versions.count(), 1)

    def test_the_form_reads_typographic_minus(self):
        read = read_form(
            {"name": "x", "integrated_lufs": "\N{MINUS SIGN}16"} | {"anchor": "programme", "mono": "single"}
        )
        self.assertEqual((read["limits"]["integrated_lufs"], read["limits"]["range_max_lu"]), (-16.0, None))
        with self.assertRaises(SpecError):
            read_form({"integrated_lufs": "-16 LUFS"})


class ExchangeTest(SpecCase):
    def test_there_and_back(self):
        answer = self.client.get(self.address("spec-file", self.preset))
        self.assertIn('filename="ebu-r-128.json"', answer["Content-Disposition"])
        content = json.loads(answer.content)
        self.assertEqual((content["schema"], content["name"]), ("mezzavoce.spec/1", "EBU R 128"))
        content["name"] = "Channel seven"
        brought = specs.bring_in(self.lead, self.production, json.dumps(content).encode())
        self.assertEqual(specs.newest(brought).limits, specs.newest(self.preset).limits)
        self.assertEqual(brought.name, "Channel seven")

    def test_a_bad_file_is_refused_and_leaves_nothing(self):
        before = Spec.objects.count()
        for content, words in (
            (b'{"name": "x", "limits": {"loudness": 3}}', "loudness"),
            (b'{"name": "x", "limts": {}}', "limts"),
            (b'{"schema": "other/1", "name": "x", "limits": {}}', "schema"),
            (b"\xff\xfe", "JSON"),
        ):
            with self.assertRaisesRegex((SpecError, Refused), words):
                specs.bring_in(self.lead, self.production, content)
        with self.assertRaisesRegex(Refused, "a few kilobytes"):
            specs.bring_in(self.lead, self.production, b" " * 300_000)
        answer = self.client.post(self.address("spec-bring-in"), {}, headers={"Accept": "application/json"})
        self.assertIn("Choose a spec file", answer.json()["error"])
        self.assertEqual(Spec.objects.count(), before)

    def test_the_schema_is_published_and_names_every_limit(self):
        self.client.logout()
        schema = self.client.get(reverse("spec-schema")).json()
        self.assertEqual(set(schema["properties"]["limits"]["properties"]) >= {f.name for f in LIMITS}, True)


class JudgedAgainTest(SpecCase):
    def setUp(self):
        super().setUp()
        self.mix = make_mix(self.production, self.lead)
        measure_mix(self.mix, clean())

    def again(self):
        self.assertEqual([m.pk for m in stale_mixes()], [self.mix.pk])
        self.assertEqual(actions.judge_stale(), 1)
        self.assertEqual(stale_mixes(), [])
        return current_judgement(type(self.mix).objects.get(pk=self.mix.pk))

    def test_a_sweep_costs_what_was_marked_however_many_mixes_there_are(self):
        for number in range(2, 6):
            measure_mix(make_mix(self.production, self.lead, number, f"Tide {number}"))
        with self.assertNumQueries(1):
            self.assertEqual(actions.judge_stale(), 0)
        # What nobody marked is found now and then.
        self.mix.runs.get().judgements.all().delete()
        self.assertEqual((actions.find_stale(), actions.judge_stale(), actions.find_stale()), (1, 1, 0))

    def test_choosing_another_for_the_production(self):
        runs = Run.objects.count()
        with self.captureOnCommitCallbacks() as callbacks:
            self.client.post(self.address("spec-choose", Spec.objects.get(name="Online video")))
        self.assertEqual(len(callbacks), 1)
        judgement = self.again()
        self.assertEqual((judgement.spec_version.spec.name, Run.objects.count()), ("Online video", runs))
        self.assertEqual(Judgement.objects.filter(run__mix=self.mix).count(), 2, "what the other spec said stays known")

    def test_one_of_its_own_for_a_programme_and_back(self):
        spec = self.own()
        self.client.force_login(self.reviewer)
        field = f"programme-{self.mix.programme.pk}"
        self.client.post(self.address("spec-programmes"), {field: spec.pk, "back": spec.pk})
        self.assertEqual(self.again().spec_version.spec, spec)
        self.client.post(self.address("spec-programmes"), {field: ""})
        self.mix.programme.refresh_from_db()
        self.assertIsNone(self.mix.programme.spec_version)

    def test_a_changed_spec_judges_with_its_new_version(self):
        spec = self.own()
        actions.choose_spec(self.lead, self.production, specs.newest(spec))
        actions.judge_stale()
        level = current_judgement(self.mix).figures["integrated_lufs"]
        actions.change_spec(self.lead, spec, {"name": spec.name, "limits": {"integrated_lufs": round(level, 1)}})
        judgement = self.again()
        self.assertEqual(judgement.spec_version.number, 2)
        self.assertNotIn("integrated-off-target", {f.kind for f in judgement.findings.all()})

    def test_a_spec_of_another_production_is_out_of_reach(self):
        other = library.start_production(self.stranger, "Other", SpecVersion.objects.filter(spec=self.preset).get())
        foreign = specs.copy_spec(self.stranger, other, self.preset)
        self.assertEqual(self.client.post(self.address("spec-choose", foreign)).status_code, 404)
        with self.assertRaisesRegex(Refused, "another production"):
            actions.choose_spec(self.lead, self.production, specs.newest(foreign))
        self.assertNotContains(self.client.get(self.address("specs")), ", own")

    def test_features_that_cannot_be_read_ask_for_measuring(self):
        actions.choose_spec(self.lead, self.production, specs.newest(Spec.objects.get(name="Online video")))
        run = Run.objects.get()
        Path(default_storage.path(run.features.storage_name)).write_bytes(b"not features")
        self.assertEqual(actions.judge_stale(), 0)
        run.refresh_from_db()
        self.assertIsNone(run.features)
        self.assertIn("easure", run.error)
        self.assertEqual(stale_mixes(), [])


class PageTest(SpecCase):
    def test_every_preset_with_its_source_and_every_limit_with_its_meaning(self):
        page = self.client.get(self.address("spec", self.preset))
        for preset in PRESETS:
            self.assertContains(page, preset.name)
        self.assertContains(page, self.preset.source)
        for facts in LIMITS:
            self.assertContains(page, facts.label)
            self.assertContains(page, facts.means)
        self.assertContains(page, 'class="limit-scale"', count=sum(not f.choices for f in LIMITS))
