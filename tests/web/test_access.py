"""Signing in, and who may do what."""

from django.http import Http404
from django.test import override_settings
from django.urls import reverse

from mezzavoce.accounts import access
from mezzavoce.accounts.models import AuditEntry
from mezzavoce.config.refusals import NotAllowed, Refused
from mezzavoce.library import actions
from tests.web.base import ProductionCase, make_mix, measure_mix


class SignInTest(ProductionCase):
    def test_page_and_wrong_password(self):
        page = self.client.get(reverse("sign-in"))
        self.assertContains(page, "As the reviewer")
        page = self.client.post(reverse("sign-in"), {"username": "lead@house.example", "password": "wrong"})
        self.assertContains(page, "do not belong together")

    def test_right_password_leads_to_the_desk(self):
        page = self.client.post(
            reverse("sign-in"), {"username": "lead@house.example", "password": "correct horse battery"}, follow=True
        )
        self.assertContains(page, "Tide Tables")
        self.assertRedirects(self.client.post(reverse("sign-out")), reverse("sign-in"))

    def test_everything_else_asks_to_sign_in(self):
        mix = make_mix(self.production, self.reviewer)
        for name, args in (
            ("desk", []),
            ("mix", [mix.pk]),
            ("notes", [mix.pk]),
            ("ingest", [self.production.pk]),
            ("series", [mix.pk]),
            ("playback", [mix.pk]),
        ):
            response = self.client.get(reverse(name, args=args))
            self.assertEqual(response.status_code, 302, name)
            self.assertIn("/sign-in/", response["Location"])

    def test_light_is_remembered_and_goes_nowhere_else(self):
        response = self.client.post(reverse("light"), {"light": "night", "back": "https://evil.example/"})
        self.assertEqual((response["Location"], response.cookies["light"].value), ("/", "night"))
        self.assertContains(self.client.get(reverse("sign-in")), 'data-light="night"')
        self.assertEqual(self.client.post(reverse("light"), {"light": "dusk"}).status_code, 400)

    def test_security_headers(self):
        page = self.client.get(reverse("sign-in"))
        self.assertIn("default-src 'self'", page["Content-Security-Policy"])
        self.assertEqual(page["X-Content-Type-Options"], "nosniff")


class RolesTest(ProductionCase):
    def test_rank(self):
        self.assertEqual(access.require(self.guest, self.production), "guest")
        self.assertEqual(access.require(self.lead, self.production, "reviewer"), "lead")
        with self.assertRaisesRegex(NotAllowed, "As a guest you may look and listen"):
            access.require(self.guest, self.production, "reviewer")
        with self.assertRaises(Http404):
            access.require(self.stranger, self.production)
        with self.assertRaises(NotAllowed):
            actions.admit(self.reviewer, self.production, self.stranger, "lead")

    def test_a_stranger_who_guesses_an_address_learns_nothing(self):
        mix = make_mix(self.production, self.reviewer)
        judgement = measure_mix(mix)
        mark = judgement.findings.first().mark
        self.client.force_login(self.stranger)
        for name, args in (
            ("mix", [mix.pk]),
            ("mix-state", [mix.pk]),
            ("notes-state", [mix.pk]),
            ("notes", [mix.pk]),
            ("series", [mix.pk]),
            ("playback", [mix.pk]),
            ("ingest", [self.production.pk]),
            ("production", [self.production.pk]),
            ("desk-state", [self.production.pk]),
        ):
            response = self.client.get(reverse(name, args=args), headers={"Accept": "application/json"})
            self.assertEqual(response.status_code, 404, name)
        for name, args in (
            ("decide", [mix.pk, mark.pk]),
            ("undo", [mix.pk]),
            ("measure", [mix.pk]),
            ("prepare", [mix.pk]),
            ("correct", [mix.pk]),
            ("prejudge", [mix.pk]),
            ("cancel-run", [judgement.run_id]),
        ):
            self.assertEqual(self.client.post(reverse(name, args=args), {"what": "note it"}).status_code, 404, name)
        self.assertContains(self.client.get("/"), "No production yet")

    def test_a_guest_looks_and_cannot_decide(self):
        mix = make_mix(self.production, self.reviewer)
        mark = measure_mix(mix).findings.first().mark
        self.client.force_login(self.guest)
        page = self.client.get(reverse("mix", args=[mix.pk]))
        self.assertContains(page, "You may look and listen here")
        self.assertNotContains(page, "Note it <kbd>")
        response = self.client.post(
            reverse("decide", args=[mark.mix_id, mark.pk]), {"what": "note it"}, headers={"Accept": "application/json"}
        )
        self.assertEqual(response.status_code, 403)
        self.assertIn("Ask the lead", response.json()["error"])
        self.assertFalse(mark.decisions.exists())
        self.assertEqual(self.client.post(reverse("measure", args=[mix.pk])).status_code, 403)
        self.assertContains(
            self.client.get(reverse("ingest", args=[self.production.pk])), "Ask the lead for the role of a reviewer"
        )
        self.assertEqual(
            self.client.post(reverse("upload", args=[self.production.pk]), {"name": "x.wav", "size": 3}).status_code,
            403,
        )

    def test_programmes(self):
        actions.plan_programme(self.reviewer, self.production, 7, "Spring Tide")
        with self.assertRaisesRegex(Refused, "Programme 7 exists already"):
            actions.plan_programme(self.reviewer, self.production, 7, "Neap Tide")
        with self.assertRaisesRegex(Refused, "needs a title"):
            actions.plan_programme(self.reviewer, self.production, 8, "  ")

    def test_the_trail_knows_who_did_what(self):
        trail = [(c.actor, c.action) for c in AuditEntry.objects.filter(production=self.production)]
        self.assertEqual(trail[0], (self.lead, "start production"))
        self.assertIn((self.reviewer, "add contact"), trail)

    @override_settings(DEBUG=False)
    def test_not_found_is_a_page_of_our_own(self):
        self.client.force_login(self.lead)
        self.assertContains(self.client.get("/nowhere/"), "not here, or not for you", status_code=404)
