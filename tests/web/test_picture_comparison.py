"""Pictures of two mixes that were laid beside each other, compared by a worker once both are ready."""

import subprocess
import tempfile
from pathlib import Path

from django.urls import reverse

from mezzavoce.library.models import Mix, Playback, StoredFile
from mezzavoce.library.storage import keep
from mezzavoce.measuring import pictures
from mezzavoce.measuring.aligning import keep_alignment
from mezzavoce.measuring.models import Alignment, PictureComparison
from mezzavoce_core.versions.alignment import Piece, alignment_of
from mezzavoce_core.versions.document import alignment_dict
from tests.web.base import ProductionCase, make_mix, measure_mix


def film(path, *shots):
    """Shots of so many seconds from ffmpeg's own sources, one after the other."""
    sources = [part for name, seconds in shots for part in ("-f", "lavfi", "-i", f"{name}=s=320x180:r=25:d={seconds}")]
    joined = "".join(f"[{k}:v]" for k in range(len(shots))) + f"concat=n={len(shots)}[v]"
    command = ["ffmpeg", "-v", "error", "-y", *sources, "-filter_complex", joined, "-map", "[v]", "-c:v", "libx264"]
    subprocess.run([*command, "-preset", "ultrafast", "-pix_fmt", "yuv420p", str(path)], check=True)
    return path


class ComparisonTest(ProductionCase):
    def setUp(self):
        self.client.force_login(self.reviewer)
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.former, self.mix = (make_mix(self.production, self.lead, has_picture=True) for _ in range(2))
        for mix in (self.former, self.mix):
            measure_mix(mix)

    def lay(self):
        told = alignment_dict(alignment_of([Piece(0, 40, 0, 40, 1.0)], 40, 40))
        keep_alignment(Alignment(mix=self.mix, former=self.former, pieces=told))
        return PictureComparison.objects.filter(alignment__mix=self.mix)

    def ready(self, mix, *shots):
        kept = keep(
            film(self.folder / f"{mix.pk}.mp4", *shots), self.production, StoredFile.Kind.PLAYBACK, "playback.mp4"
        )
        Playback.objects.filter(mix=mix).update(state=Playback.State.READY, file=kept)

    def test_another_shot_under_the_same_sound_is_told(self):
        rows = self.lay()
        self.ready(self.former, ("testsrc2", 20), ("smptebars", 20))
        self.assertFalse(pictures.work_next())
        self.ready(self.mix, ("testsrc2", 20), ("rgbtestsrc", 10), ("smptebars", 10))
        self.assertTrue(pictures.work_next())
        row = rows.get()
        self.assertEqual(row.state, PictureComparison.State.READY, row.error)
        ((begin_s, end_s),) = row.spans
        self.assertLessEqual(abs(begin_s - 20) + abs(end_s - 30), 1.0)
        page = self.client.get(reverse("beside", args=[self.mix.pk]))
        self.assertContains(page, "Other picture, same sound: 10:00:2")
        # Laid beside anew it is compared anew.
        self.assertEqual(self.lay().get().state, PictureComparison.State.WAITING)

    def test_without_pictures_nothing_is_compared(self):
        Mix.objects.filter(pk=self.former.pk).update(has_picture=False)
        self.former.refresh_from_db()
        self.assertFalse(self.lay().exists())

    def test_what_cannot_be_read_is_failed_with_a_sentence(self):
        self.lay()
        for mix in (self.former, self.mix):
            path = self.folder / "broken.mp4"
            path.write_bytes(b"no film")
            kept = keep(path, self.production, StoredFile.Kind.PLAYBACK, "playback.mp4")
            Playback.objects.filter(mix=mix).update(state=Playback.State.READY, file=kept)
        self.assertTrue(pictures.work_next())
        row = PictureComparison.objects.get()
        self.assertEqual(row.state, PictureComparison.State.FAILED)
        self.assertIn("could not be compared", row.error)
