"""What people said of a mix goes along to the next one, and what could not be placed is placed by hand."""

from django.urls import reverse

from mezzavoce.config.refusals import NotAllowed, Refused
from mezzavoce.library.models import Mix, StoredFile
from mezzavoce.library.storage import local_copy
from mezzavoce.measuring import actions as measuring
from mezzavoce.measuring.carrying import carry
from mezzavoce.measuring.models import Alignment, Correction
from mezzavoce.notes.models import PlacedByHand
from mezzavoce.recheck import actions
from mezzavoce.recheck.models import Recheck
from mezzavoce.screens.beside import beside
from mezzavoce_core.errors import TimecodeError
from mezzavoce_core.exchange.captions import parse_captions
from mezzavoce_core.versions.alignment import Piece, alignment_of
from mezzavoce_core.versions.document import alignment_dict
from tests.web.base import make_mix, stored
from tests.web.test_recheck import RecheckCase

# Ten seconds were cut out after the first ten, and two were put in before everything.
CUT = [Piece(0, 10, 2, 12, 1.0), Piece(20, 40, 12, 32, 1.0)]
VTT = (
    b"WEBVTT\n\n00:08.000 --> 00:09.500\nFirst.\n\n"
    b"00:12.000 --> 00:14.000\nCut out.\n\n00:25.000 --> 00:26.000\nLast.\n"
)


class CarryTest(RecheckCase):
    def laid(self, pieces=CUT):
        mix = make_mix(self.production, self.lead)
        told = alignment_dict(alignment_of(pieces, 40, 40))
        return Alignment.objects.create(mix=mix, former=self.former, pieces=told)

    def said(self, mix):
        return [
            (c.kind, mix.seconds(c.in_sample), mix.seconds(c.out_sample)) for c in Correction.objects.filter(mix=mix)
        ]

    def test_corrections_lie_where_their_sound_lies(self):
        measuring.correct(self.reviewer, self.former, "no-speech", ("10:00:08:00", "10:00:09:00"))
        measuring.correct(self.reviewer, self.former, "important-effect", ("10:00:12:00", "10:00:14:00"))
        taken_back = measuring.correct(self.reviewer, self.former, "speech", ("10:00:21:00", "10:00:22:00"))
        measuring.withdraw(self.reviewer, taken_back)
        row = self.laid()
        carry(row)
        self.assertEqual(self.said(row.mix), [("no-speech", 10.0, 11.0)])
        row.refresh_from_db()
        self.assertEqual(row.carried, {"corrections": 1, "corrections lost": 1})
        page = beside(self.reviewer, row.mix)
        self.assertEqual(page.carried, "Taken along: 1 correction. In what was cut out: 1 correction.")
        # Undo takes back what was done to this mix, not what came along.
        self.assertIsNone(measuring.last_correction(row.mix))

    def test_range_and_captions(self):
        self.former.ranges = [[self.former.samples(1.0), self.former.samples(39.0)]]
        self.former.captions = stored(self.production, VTT, StoredFile.Kind.CAPTIONS, "ebb.vtt")
        self.former.save()
        row = self.laid()
        carry(row)
        mix = Mix.objects.get(pk=row.mix_id)
        self.assertEqual([[mix.seconds(t) for t in part] for part in mix.ranges], [[3.0, 31.0]])
        with local_copy(mix.captions) as path:
            captions = parse_captions(path.read_bytes(), "x.vtt")
        self.assertEqual([(c.in_s, c.out_s, c.text) for c in captions], [(10.0, 11.5, "First."), (17.0, 18.0, "Last.")])

    def test_a_range_of_which_a_part_is_gone_is_not_taken_along(self):
        self.former.ranges = [
            [self.former.samples(0.0), self.former.samples(9.0)],
            [self.former.samples(11.0), self.former.samples(19.0)],
        ]
        self.former.save()
        row = self.laid()
        carry(row)
        row.refresh_from_db()
        self.assertEqual((Mix.objects.get(pk=row.mix_id).ranges, row.carried), (None, {"range lost": 1}))

    def test_what_was_said_of_the_new_mix_already_stays(self):
        measuring.correct(self.reviewer, self.former, "no-speech", ("10:00:08:00", "10:00:09:00"))
        mix = self.new_mix()
        carry(mix.alignment)
        self.assertEqual(self.said(mix), [])


class PlaceTest(RecheckCase):
    def setUp(self):
        super().setUp()
        # The sound of the second passage is said to be gone.
        self.mix = self.new_mix(0, 0, [Piece(0, 20, 0, 20, 1.0)])
        self.row = Recheck.objects.get(mix=self.mix, mark=self.second)

    def again(self):
        return Recheck.objects.get(pk=self.row.pk)

    def test_placed_by_hand_it_is_judged_there(self):
        self.assertEqual(self.row.result, "gone")
        actions.place(self.reviewer, self.row, ("10:00:24:00", "10:00:30:00"))
        self.assertEqual(self.again().result, "same")
        self.assertTrue(self.second.placements.filter(mix=self.mix).exists())
        actions.place(self.reviewer, self.row, ("", ""))
        self.assertEqual(self.again().result, "gone")
        self.assertFalse(PlacedByHand.objects.filter(withdrawn=None).exists())

    def test_by_the_page(self):
        address = reverse("place-recheck", args=[self.row.pk])
        self.client.post(address, {"from": "10:00:24:00", "to": "10:00:30:00"})
        page = self.client.get(reverse("beside", args=[self.mix.pk]))
        self.assertContains(page, "by hand")

    def test_where_it_cannot_lie(self):
        with self.assertRaisesRegex(Refused, "end before it begins"):
            actions.place(self.reviewer, self.row, ("10:00:30:00", "10:00:24:00"))
        with self.assertRaisesRegex(Refused, "behind the end"):
            actions.place(self.reviewer, self.row, ("10:05:30:00", "10:05:34:00"))
        with self.assertRaises(TimecodeError):
            actions.place(self.reviewer, self.row, ("soon", "10:00:24:00"))
        with self.assertRaises(NotAllowed):
            actions.place(self.guest, self.row, ("10:00:24:00", "10:00:30:00"))
        self.assertFalse(PlacedByHand.objects.exists())
