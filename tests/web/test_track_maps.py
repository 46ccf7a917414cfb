"""Files with several sounds: proposed, heard, mapped, remembered; layouts that somebody has to name.

Left and right as files of their own.
"""

import json
import tempfile
from pathlib import Path

import numpy as np
from django.urls import reverse

from mezzavoce.library.models import Mix, StoredFile
from mezzavoce.measuring.core_requests import request_for
from tests.core.test_media import ffmpeg
from tests.signals import RATE, chord, noise, stereo, talk, write_wav
from tests.web.test_ingest import IntakeCase


def wav(signal):
    with tempfile.TemporaryDirectory() as folder:
        return write_wav(Path(folder) / "x.wav", signal).read_bytes()


def eight_channels(seed=1):
    voice, music, effects = talk(8, [(1, 4), (5, 7)], -24, seed=seed), chord(8, -34), noise(8, -44, seed=seed)
    return wav(np.concatenate([stereo(s) for s in (voice + music + effects, voice, music, effects)], axis=1))


MAP = (("mix", "1-2"), ("dialogue", "3-4"), ("music", "5-6"), ("effects", "7-8"))


class TrackMapCase(IntakeCase):
    def take(self, file_id, pairs, **more):
        files = json.dumps([{"id": file_id, "role": role, "tracks": tracks} for role, tracks in pairs])
        return self.ingest([], files=files, **more)


class OneFileTest(TrackMapCase):
    def test_proposed_heard_taken_in_and_remembered(self):
        first = self.bring("day 1.wav", eight_channels()).json()
        self.assertIsNone(first["remembered"])
        sounds_in = self.sounds_in(first["survey"])
        self.assertEqual([(sound["role"], sound["tracks"]) for sound in sounds_in], list(MAP))
        self.assertIn("sum of", sounds_in[0]["why"])
        self.assertTrue(all(len(sound["wave_dbfs"][0]) > 50 for sound in sounds_in))
        heard = self.client.get(sounds_in[1]["listen"])
        self.assertEqual((heard.status_code, heard["Content-Type"]), (200, "audio/mp4"))
        self.assertGreater(len(heard.content), 2000)
        self.assertEqual(self.take(first["id"], MAP).status_code, 201)
        mix = Mix.objects.get()
        self.assertEqual((mix.channels, mix.layout, mix.tracks.count()), (2, "stereo", 4))
        second = self.bring("day 2.wav", eight_channels(2)).json()
        self.assertEqual(second["remembered"]["roles"], {tracks: role for role, tracks in MAP})

    def test_measured_like_the_same_sounds_in_files_of_their_own(self):
        answer = self.bring("all.wav", eight_channels()).json()
        self.take(answer["id"], MAP)
        with request_for(Mix.objects.get()) as order:
            self.assertTrue(all(Path(p).exists() for p in order["mix"]["paths"]))
        self.assertEqual(
            (order["mix"]["tracks"], [s["tracks"] for s in order["stems"]]), ([1, 2], [[3, 4], [5, 6], [7, 8]])
        )

    def test_each_impossible_map_is_refused(self):
        file_id = self.bring("all.wav", eight_channels()).json()["id"]
        for pairs, words in (
            ((("mix", "1-2"), ("music", "2-3")), "twice"),
            ((("dialogue", "1-2"),), "No file is marked as the mix"),
            ((("mix", "1-2"), ("mix", "3-4")), "marked as the mix"),
            ((("mix", "1-2"), ("music", "9-10")), "there is no channel 9"),
            ((("mix", "1;2"),), "choose it again"),
        ):
            answer = self.take(file_id, pairs)
            self.assertEqual(answer.status_code, 422, pairs)
            self.assertIn(words, answer.json()["error"])
        self.assertFalse(Mix.objects.exists())

    def test_listening_and_survey_belong_to_the_production(self):
        answer = self.bring("all.wav", eight_channels()).json()
        self.assertEqual(
            self.client.get(
                reverse("listen", args=[answer["id"]]), {"tracks": "99"}, headers={"Accept": "application/json"}
            ).status_code,
            422,
        )
        self.client.force_login(self.stranger)
        for name in ("survey", "listen"):
            self.assertEqual(self.client.get(reverse(name, args=[answer["id"]])).status_code, 404)

    def test_pairs_that_their_writer_called_surround(self):
        with tempfile.TemporaryDirectory() as folder:
            source, target = Path(folder) / "a.wav", Path(folder) / "b.wav"
            source.write_bytes(eight_channels())
            order = "map=0-FL|1-FR|2-FC|3-LFE|4-BL|5-BR|6-SL|7-SR:channel_layout=7.1"
            ffmpeg("-i", str(source), "-af", f"channelmap={order}", "-c:a", "pcm_s24le", str(target))
            answer = self.bring("all.wav", target.read_bytes()).json()
        self.assertEqual((answer["facts"]["says_layout"], answer["survey"]), (True, None))
        self.assertEqual(len(self.sounds_in(answer["pairs"].split("?")[0])), 1)
        sounds_in = self.sounds_in(answer["pairs"])
        self.assertEqual([(sound["role"], sound["tracks"]) for sound in sounds_in], list(MAP))
        self.assertEqual(self.take(answer["id"], MAP).status_code, 201)
        self.assertEqual(Mix.objects.get().layout, "stereo")
        Mix.objects.all().delete()
        again = self.bring("next.wav", eight_channels(4)).json()
        self.assertEqual(len(again["remembered"]["roles"]), 4)

    def test_an_ordinary_stereo_file_asks_nothing(self):
        answer = self.bring("mix.wav", wav(stereo(noise(2, -20)))).json()
        self.assertEqual((answer["survey"], answer["remembered"]), (None, None))


class LayoutTest(TrackMapCase):
    def surround(self, **more):
        file_id = self.bring("surround.wav", wav(np.stack([noise(3, -30, seed=k) for k in range(6)], axis=1))).json()[
            "id"
        ]
        return self.take(file_id, [("mix", "")], **more)

    def test_six_channels_that_say_nothing_have_to_be_named(self):
        answer = self.surround()
        self.assertEqual(answer.status_code, 422)
        self.assertIn("does not say where its 6 channels stand", answer.json()["error"])
        self.assertFalse(Mix.objects.exists())

    def test_either_common_order(self):
        for number, (said, layout) in enumerate((("5.1", "5.1"), ("L C R Ls Rs LFE", "L C R Ls Rs LFE")), 1):
            with self.subTest(said):
                StoredFile.objects.all().update(sha256=str(number))
                self.assertEqual(self.surround(layout=said, title=f"Ebb {number}").status_code, 201)
                self.assertIn(Mix.objects.latest("id").layout.split("(")[0], (layout, "5.1"))

    def test_an_order_that_does_not_go_with_the_channels(self):
        self.assertIn("Choose the order again", self.surround(layout="7.1").json()["error"])


class LeftAndRightTest(TrackMapCase):
    def test_two_mono_files_are_one_mix(self):
        ids = [self.bring(f"mix.{side}.wav", wav(noise(3, -20, seed=k))).json()["id"] for k, side in enumerate("LR")]
        self.assertEqual(self.ingest([(i, "mix") for i in ids]).status_code, 201)
        mix = Mix.objects.get()
        self.assertEqual((mix.channels, mix.layout, mix.sample_rate_hz), (2, "stereo", RATE))
        with request_for(mix) as order:
            self.assertEqual(len(order["mix"]["paths"]), 2)
