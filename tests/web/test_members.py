"""Members of a production: invitations, roles, leaving, links that work once, the trail."""

import re

from django.urls import reverse
from django.utils import timezone

from mezzavoce.accounts.access import role_in
from mezzavoce.accounts.models import AuditEntry, Person
from mezzavoce.config.refusals import NotAllowed, Overtaken, Refused
from mezzavoce.library import actions as library
from mezzavoce.library import contacts
from mezzavoce.library.models import Membership, Production
from mezzavoce.people import accounts, members
from mezzavoce.people.links import Purpose, address_of
from mezzavoce.people.models import LinkMail, PersonalLink
from mezzavoce.people.selectors import TRAIL_PAGE
from tests.web.test_people import PASSWORD, PeopleCase


class InvitationTest(PeopleCase):
    def test_somebody_new_joins(self):
        path = self.invited()
        self.assertContains(self.client.get(path), "Tide Tables")
        answer = self.client.post(path, {"name": "Mara Quist", "password": PASSWORD})
        self.assertRedirects(answer, reverse("desk"), fetch_redirect_response=False)
        person = Person.objects.get(mail="mara@house.example")
        self.assertEqual(role_in(person, self.production), "reviewer")
        self.client.logout()
        self.assertEqual(self.client.get(path).status_code, 404, "it works once")

    def test_somebody_with_an_account_signs_in_and_joins(self):
        path = self.invited("stranger@house.example", "guest")
        page = self.client.get(path)
        self.assertContains(page, "Sign in with it")
        self.assertNotContains(page, 'name="password"')
        self.client.force_login(self.stranger)
        self.assertContains(self.client.get(path), "Join as Stranger")
        self.client.post(path)
        self.assertEqual(role_in(self.stranger, self.production), "guest")

    def test_it_is_for_its_address_alone(self):
        path = self.invited()
        self.client.force_login(self.stranger)
        self.assertContains(self.client.post(path), "is for mara@house.example", status_code=403)
        self.assertIsNone(role_in(self.stranger, self.production))

    def test_an_address_invited_twice_has_one_that_opens(self):
        first = self.invited(role="guest")
        second = self.invited("mara@house.example", role="lead")
        self.assertEqual(self.client.get(first).status_code, 404)
        self.client.post(second, {"name": "Mara", "password": PASSWORD})
        self.assertEqual(role_in(Person.objects.get(name="Mara"), self.production), "lead")

    def test_a_member_is_not_invited_again(self):
        with self.assertRaisesRegex(Refused, "belongs to this production already, as a guest"):
            members.invite(self.lead, self.production, "guest@house.example", "lead")

    def test_taken_back_before_it_is_opened_or_sent(self):
        path = self.invited()
        self.client.force_login(self.lead)
        self.client.post(reverse("take-back-invitation", args=[PersonalLink.objects.get().pk]))
        self.client.logout()
        self.assertEqual(self.client.get(path).status_code, 404)
        link = members.invite(self.lead, self.production, "late@house.example", "guest")
        members.take_back(self.lead, link)
        self.assertEqual(self.sent(), [])
        self.assertEqual(LinkMail.objects.get(link=link).state, LinkMail.State.FAILED)

    def test_accepted_twice_at_once_counts_once(self):
        link = members.invite(self.lead, self.production, "mara@house.example", "guest")
        members.accept_as_new(link, "Mara", PASSWORD)
        with self.assertRaises(Refused):
            members.accept_as_new(link, "Mara", PASSWORD)
        person = Person.objects.get(name="Mara")
        with self.assertRaises(Overtaken):
            members.accept(link, person)

    def test_only_leads_invite_and_only_with_an_address_and_a_role(self):
        for person in (self.reviewer, self.guest):
            with self.assertRaises(NotAllowed):
                members.invite(person, self.production, "mara@house.example", "guest")
        for address, role in (("mara", "guest"), ("mara@house.example", "king")):
            with self.assertRaises(Refused):
                members.invite(self.lead, self.production, address, role)
        self.assertFalse(PersonalLink.objects.exists())

    def test_names_of_productions_cannot_add_lines_to_a_mail(self):
        Production.objects.update(name="Tide\r\nBcc: all@house.example")
        self.production.refresh_from_db()
        members.invite(self.lead, self.production, "mara@house.example", "guest")
        (letter,) = self.sent()
        self.assertEqual((letter.bcc, "\n" in letter.subject), ([], False))

    def test_many_guesses_are_stopped(self):
        for _ in range(31):
            self.client.get(reverse("invitation", args=["guess"]))
        self.assertEqual(self.client.get(reverse("invitation", args=["guess"])).status_code, 429)


class MemberTest(PeopleCase):
    def member(self, person):
        return Membership.objects.get(production=self.production, person=person)

    def test_a_lead_sees_and_changes_everybody_a_guest_sees(self):
        self.client.force_login(self.lead)
        self.assertContains(self.client.get(reverse("people", args=[self.production.pk])), "Take out")
        self.client.post(reverse("change-role", args=[self.member(self.guest).pk]), {"role": "reviewer"})
        self.assertEqual(role_in(self.guest, self.production), "reviewer")
        self.client.post(reverse("take-out", args=[self.member(self.guest).pk]))
        self.assertIsNone(role_in(self.guest, self.production))
        self.client.force_login(self.reviewer)
        page = self.client.get(reverse("people", args=[self.production.pk]))
        self.assertContains(page, "lead@house.example")
        self.assertNotContains(page, "Invite somebody")
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(reverse("people", args=[self.production.pk])).status_code, 404)

    def test_the_last_lead_stays_and_stays_one(self):
        own = self.member(self.lead)
        for do in (lambda: members.take_out(self.lead, own), lambda: members.change_role(self.lead, own, "guest")):
            with self.assertRaisesRegex(Refused, "only lead"):
                do()
        members.change_role(self.lead, self.member(self.reviewer), "lead")
        members.take_out(self.lead, own)
        self.assertIsNone(role_in(self.lead, self.production))

    def test_a_closed_account_is_no_lead_that_could_stay(self):
        members.change_role(self.lead, self.member(self.reviewer), "lead")
        Person.objects.filter(pk=self.reviewer.pk).update(is_active=False)
        with self.assertRaisesRegex(Refused, "only lead"):
            members.take_out(self.lead, self.member(self.lead))

    def test_anybody_may_leave_and_nobody_else_may_be_taken_out_by_a_reviewer(self):
        with self.assertRaises(NotAllowed):
            members.take_out(self.reviewer, self.member(self.guest))
        members.take_out(self.guest, self.member(self.guest))
        self.assertIsNone(role_in(self.guest, self.production))

    def test_a_role_changed_while_that_person_works_counts_at_once(self):
        self.client.force_login(self.reviewer)
        desk = reverse("production", args=[self.production.pk])
        self.assertContains(self.client.get(desk), "Ingest a mix")
        members.change_role(self.lead, self.member(self.reviewer), "guest")
        self.assertNotContains(self.client.get(desk), "Ingest a mix")
        with self.assertRaisesRegex(NotAllowed, "As a guest you may look"):
            contacts.add_contact(self.reviewer, self.production, "Ines", "ines@cut.example")

    def test_somebody_who_left_meanwhile(self):
        gone = self.member(self.guest)
        Membership.objects.filter(pk=gone.pk).delete()
        with self.assertRaisesRegex(Overtaken, "left the production"):
            members.change_role(self.lead, gone, "lead")


class TrailTest(PeopleCase):
    def trail(self, **words):
        self.client.force_login(self.lead)
        return self.client.get(reverse("trail", args=[self.production.pk]), words)

    def test_by_person_kind_and_programme(self):
        members.invite(self.lead, self.production, "mara@house.example", "guest")
        library.plan_programme(self.reviewer, self.production, 4, "The Long Tide")
        self.assertContains(self.trail(), "mara@house.example")
        page = self.trail(person=self.reviewer.pk)
        self.assertContains(page, "The Long Tide")
        self.assertNotContains(page, "mara@house.example")
        page = self.trail(action="invite", about="mara")
        self.assertContains(page, "mara@house.example")
        self.assertNotContains(page, "The Long Tide")
        self.assertContains(self.trail(about="nothing like it"), "Nothing like that was done.")
        self.assertEqual(self.trail(person="x", before="y").status_code, 200)

    def test_a_long_one_comes_in_pages(self):
        for k in range(TRAIL_PAGE + 5):
            AuditEntry.objects.create(production=self.production, actor=self.lead, action="count", target=f"no. {k:03}")
        page = self.trail(action="count")
        self.assertContains(page, "no. 104")
        self.assertNotContains(page, "no. 004")
        (earlier,) = re.findall(r'href="\?([^"]*before=\d+)"', page.content.decode())
        rest = self.client.get(f"{reverse('trail', args=[self.production.pk])}?{earlier.replace('&amp;', '&')}")
        self.assertContains(rest, "no. 004")

    def test_leads_alone(self):
        self.client.force_login(self.reviewer)
        self.assertEqual(self.client.get(reverse("trail", args=[self.production.pk])).status_code, 403)


class LinkTest(PeopleCase):
    def test_the_link_is_nowhere_stored(self):
        link = members.invite(self.lead, self.production, "mara@house.example", "guest")
        token = address_of(link).split("/")[-2]
        self.assertGreaterEqual(len(token), 43)
        for row in (PersonalLink, LinkMail, AuditEntry):
            for values in row.objects.values():
                self.assertNotIn(token, repr(values))

    def test_every_purpose_lasts_as_long_as_it_should(self):
        for purpose, hours in ((Purpose.FIRST, 24), (Purpose.PASSWORD, 2), (Purpose.INVITATION, 14 * 24)):
            link = accounts.make_link(purpose)
            self.assertAlmostEqual((link.expires - timezone.now()).total_seconds(), 3600 * hours, delta=60)
