"""Signing a mix: only what may go out, frozen, and broken visibly by what changes afterwards."""

import io

import pypdf
from django.urls import reverse

from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.library import actions
from mezzavoce.library.models import SpecVersion, Track
from mezzavoce.measuring import actions as measuring
from mezzavoce.notes import actions as notes
from mezzavoce.notes.models import Decision
from mezzavoce.recheck import removal, signing
from mezzavoce.recheck.models import SignOff
from mezzavoce.screens.desk import desk
from mezzavoce.screens.series_report import series_report
from mezzavoce.screens.up_next import UpNext
from mezzavoce_core.exchange.series_report import printed_series
from tests.web.base import ProductionCase, make_mix, measure_mix, stored


class SignOffCase(ProductionCase):
    def setUp(self):
        self.client.force_login(self.reviewer)
        self.mix = make_mix(self.production, self.lead)
        measure_mix(self.mix)

    def allow_all(self):
        for mark in self.mix.marks.all():
            notes.decide(self.reviewer, mark, self.mix, Decision.What.ALLOW, "meant so, says the director")

    def signed(self):
        self.allow_all()
        return signing.sign(self.reviewer, self.mix)

    def standing(self):
        return desk(self.reviewer, self.production).rows[0].standing.word


class SignTest(SignOffCase):
    def test_not_before_everything_is_mended_or_allowed(self):
        with self.assertRaisesRegex(Refused, "must be mended, or allowed for a reason"):
            signing.sign(self.reviewer, self.mix)
        self.assertContains(self.client.get(reverse("sign-off", args=[self.mix.pk])), "must be mended")
        bare = make_mix(self.production, self.lead, 2)
        with self.assertRaisesRegex(Refused, "nothing to sign"):
            signing.sign(self.reviewer, bare)
        self.assertFalse(SignOff.objects.exists())

    def test_every_waiver_with_its_reason_and_its_name(self):
        row = self.signed()
        self.assertEqual(len(row.content["waivers"]), self.mix.marks.count())
        for waiver in row.content["waivers"]:
            self.assertEqual((waiver["by"], waiver["reason"]), ("Reviewer", "meant so, says the director"))
        self.assertEqual(row.content["spec"], "EBU R 128, version 1")
        self.assertEqual(row.content["files"][0]["sha256"], self.mix.tracks.get().file.sha256)
        self.assertEqual(self.standing(), "signed")
        self.assertEqual(UpNext(self.reviewer).all, [])

    def test_once_and_by_whom(self):
        self.signed()
        with self.assertRaisesRegex(Overtaken, "signed already"):
            signing.sign(self.lead, self.mix)
        with self.assertRaises(NotAllowed):
            signing.sign(self.guest, self.mix)

    def test_by_page(self):
        self.allow_all()
        address = reverse("sign-off", args=[self.mix.pk])
        self.assertContains(self.client.get(address), "Sign it")
        answer = self.client.post(address, follow=True)
        self.assertContains(answer, "Signed by")
        self.assertContains(answer, "says the director")
        self.assertContains(self.client.get(address), "The signed report")
        self.assertContains(self.client.get(reverse("production", args=[self.production.pk])), "by Reviewer, ")
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(reverse("signed", args=[SignOff.objects.get().pk])).status_code, 404)


class FrozenTest(SignOffCase):
    def setUp(self):
        super().setUp()
        self.row = self.signed()

    def report(self):
        return self.client.get(reverse("signed", args=[self.row.pk]))

    def test_the_same_report_later_byte_for_byte(self):
        pdf = reverse("signed-pdf", args=[self.row.pk])
        before = self.client.get(pdf).content
        for mark in self.mix.marks.all():
            notes.decide(self.reviewer, mark, self.mix, Decision.What.REOPEN)
        self.production.name = "Another name"
        self.production.save()
        self.assertEqual(self.client.get(pdf).content, before)
        pages = pypdf.PdfReader(io.BytesIO(before)).pages
        text = " ".join(" ".join(page.extract_text() for page in pages).split())
        for words in ("1 Low Water, mix 1", "Tide Tables", "Signed by Reviewer", "says the director", "EBU R 128"):
            self.assertIn(words, text)

    def test_another_spec_breaks_it(self):
        other = SpecVersion.objects.get(spec__name="Online video")
        measuring.choose_own_spec(self.reviewer, self.mix.programme, other)
        self.assertContains(self.report(), "Broken: files, spec or range")
        self.assertNotEqual(self.standing(), "signed")
        measuring.choose_own_spec(self.reviewer, self.mix.programme, None)
        self.assertNotContains(self.report(), "Broken")
        self.assertEqual(self.standing(), "signed")

    def test_another_file_or_range_breaks_it(self):
        Track.objects.create(mix=self.mix, file=stored(self.production), role="music")
        self.assertContains(self.report(), "Broken")
        Track.objects.filter(role="music").delete()
        measuring.set_ranges(self.reviewer, self.mix, [("10:00:01:00", "10:00:39:00")])
        self.assertContains(self.report(), "Broken")

    def test_withdrawn_it_stays_readable(self):
        address = reverse("withdraw-sign-off", args=[self.row.pk])
        self.client.force_login(self.guest)
        self.assertEqual(self.client.post(address).status_code, 403)
        self.client.force_login(self.lead)
        self.client.post(address)
        self.assertContains(self.report(), "Withdrawn by Lead")
        self.assertEqual(self.client.post(address).status_code, 409)
        self.assertNotEqual(self.standing(), "signed")
        again = signing.sign(self.lead, self.mix)
        self.assertEqual(signing.standing(self.mix), again)

    def test_it_goes_with_its_mix_after_that_was_said(self):
        told = removal.goes_with([self.mix])
        self.assertEqual(told.sign_offs, 1)
        removal.delete_mix(self.lead, self.mix, told.key)
        self.assertFalse(SignOff.objects.exists())


class SeriesReportTest(ProductionCase):
    def setUp(self):
        self.client.force_login(self.guest)
        self.signed, self.open = (make_mix(self.production, self.lead, k, f"No. {k}") for k in (1, 2))
        for mix in (self.signed, self.open):
            measure_mix(mix)
        for mark in self.signed.marks.all():
            notes.decide(self.reviewer, mark, self.signed, "allow", "the producer wants it")
        signing.sign(self.reviewer, self.signed)
        planned = actions.plan_programme(self.lead, self.production, 3, "No mix", None)
        self.assertTrue(planned.pk)

    def test_who_signed_what_and_what_was_waived(self):
        report = series_report(self.production)
        first, second, third = report["programmes"]
        self.assertIn("1 of 3 programmes signed. Loudness from", report["summary"])
        self.assertTrue(first["signed"].startswith("Reviewer, "))
        self.assertIn("the producer wants it", " ".join(first["waivers"]))
        self.assertEqual((second["signed"], third["standing"], third["figures"]), ("", "no mix yet", {}))
        page = self.client.get(reverse("series-report", args=[self.production.pk]))
        self.assertContains(page, "the producer wants it")
        self.assertContains(page, reverse("signed", args=[first["sign_off"]]))

    def test_on_paper_read_back(self):
        answer = self.client.get(reverse("series-report-pdf", args=[self.production.pk]))
        read = pypdf.PdfReader(io.BytesIO(answer.content))
        text = " ".join(page.extract_text() for page in read.pages)
        for words in ("1 No. 1", "signed", "Reviewer,", "Waivers", "the producer wants it", "no mix yet"):
            self.assertIn(words, text)
        self.assertGreater(read.pages[0].mediabox.width, read.pages[0].mediabox.height)
        report = series_report(self.production)
        self.assertEqual(printed_series(report), printed_series(report))

    def test_a_stranger_sees_none(self):
        self.client.force_login(self.stranger)
        for name in ("series-report", "series-report-pdf"):
            self.assertEqual(self.client.get(reverse(name, args=[self.production.pk])).status_code, 404)
