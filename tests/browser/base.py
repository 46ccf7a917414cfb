"""A live server with a real worker, a real mailbox and a real browser."""

import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from pathlib import Path

from axe_playwright_python.sync_playwright import Axe
from django.conf import settings
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.core.cache import cache
from django.db import connection
from django.test import override_settings
from playwright.sync_api import Error, sync_playwright

from mezzavoce.library import actions, contacts, intake
from mezzavoce.measuring.models import Run
from mezzavoce_demo import loader
from mezzavoce_host.services import end, free_port
from tests.signals import chord, stereo, talk, write_wav

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--autoplay-policy=no-user-gesture-required",
]
DESKTOP, PHONE = {"width": 1280, "height": 800}, {"width": 390, "height": 844}
PATIENCE_MS = 60_000
# Remembers what became of the film and who moved it.
REMEMBER = """(() => {
  const told = (window.filmLog = []);
  const names = ["loadstart", "emptied", "loadedmetadata", "play", "pause", "seeking", "seeked", "ended", "error"];
  const tell = (name, video, more) => {
    const at = [Math.round(performance.now()), name, video.currentTime, more].filter((word) => word !== undefined);
    if (told.push(at.join(" ")) > 60) told.shift();
  };
  for (const name of names)
    document.addEventListener(name, (e) => e.target.id === "video" && tell(name, e.target), true);
  const place = Object.getOwnPropertyDescriptor(HTMLMediaElement.prototype, "currentTime");
  Object.defineProperty(HTMLMediaElement.prototype, "currentTime", {
    ...place,
    set(to) {
      place.set.call(this, to);
      tell(`set to ${to}`, this, new Error().stack.split("\\n").slice(2, 6).map((line) => line.trim()).join(" < "));
    },
  });
})()"""
# What a page shows, for whoever reads why a test waited in vain.
SHOWN = """(() => {
  const video = document.getElementById("video") || {};
  const end = (ranges) => (ranges?.length ? ranges.end(ranges.length - 1) : null);
  return JSON.stringify({
    address: location.href, open: document.querySelector("[data-fact=open]")?.textContent,
    finding: document.querySelector(".finding")?.dataset.mark, said: document.getElementById("say")?.textContent,
    video: {
      paused: video.paused, at: video.currentTime, duration: video.duration, state: video.readyState,
      network: video.networkState, seeking: video.seeking, ended: video.ended, seekable: end(video.seekable),
      buffered: end(video.buffered), error: video.error?.message,
    },
    film: window.filmLog,
  });
})()"""


def _end_with_children(process):
    """End a process that leads a group of its own; what it started and left behind goes, too."""
    end(process)
    with suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)


class BrowserCase(StaticLiveServerTestCase):
    """Opens pages and remembers what the browser complained about."""

    with_worker = False

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.enterClassContext(override_settings(BASE_URL=cls.live_server_url))
        cls.playwright = sync_playwright().start()
        cls.addClassCleanup(cls.playwright.stop)
        cls.browser = cls.playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        cls.addClassCleanup(cls.browser.close)
        if cls.with_worker:
            cls._start_helpers()

    @classmethod
    def _start_helpers(cls):
        """The mailbox and one worker for both queues, on this class's own database."""
        # One box a class: classes run beside each other.
        cls.mailbox = Path(tempfile.mkdtemp(dir=settings.DATA_DIR, prefix="mailbox-"))
        cls.addClassCleanup(shutil.rmtree, cls.mailbox)
        cls.enterClassContext(override_settings(MAILBOX_DIR=cls.mailbox))
        port = free_port(8600 + os.getpid() % 200)
        cls._run("mezzavoce_demo.mailbox", str(cls.mailbox), str(port))
        cls.mail_port = port
        cls.environment = os.environ | {
            "MEZZAVOCE_DB_NAME": connection.settings_dict["NAME"],
            "MEZZAVOCE_SMTP_PORT": str(port),
            "MEZZAVOCE_BASE_URL": cls.live_server_url,
            "MEZZAVOCE_LEASE_S": "4",
        }
        cls.worker = cls.start_worker()

    @classmethod
    def start_worker(cls):
        beat = Path(settings.DATA_DIR) / f"beat-{os.getpid()}"
        options = [
            "-A",
            "mezzavoce.config",
            "worker",
            "-Q",
            "measuring,errands,films",
            "-c",
            "2",
            "-B",
            "-s",
            str(beat),
            "-n",
            f"test{os.getpid()}@%h",
        ]
        return cls._run(
            "celery",
            "--quiet",
            *options,
            "--loglevel",
            "CRITICAL",
            "--without-gossip",
            "--without-mingle",
            env=cls.environment,
        )

    @classmethod
    def _run(cls, *module, env=None):
        process = subprocess.Popen(
            [sys.executable, "-W", "ignore", "-m", *module],
            env=env,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        cls.addClassCleanup(_end_with_children, process)
        return process

    def setUp(self):
        cache.clear()
        self.complaints = []
        actions.ship_presets()
        people = {role: loader._person(name, mail) for role, name, mail in loader.PEOPLE}
        self.lead, self.reviewer, self.guest = people["lead"], people["reviewer"], people["guest"]
        self.production = actions.start_production(self.lead, "Tide Tables", actions.preset_version("EBU R 128"))
        actions.admit(self.lead, self.production, self.reviewer, "reviewer")
        actions.admit(self.lead, self.production, self.guest, "guest")
        self.contact = contacts.add_contact(self.reviewer, self.production, *loader.EDITOR)

    def open_page(self, size=DESKTOP, **options):
        context = self.browser.new_context(viewport=size, **options)
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(PATIENCE_MS)
        page.add_init_script(REMEMBER)
        page.on("pageerror", lambda error: self.complaints.append(str(error)))
        page.on("console", self._complain)
        return page

    def _complain(self, message):
        # What was measured from arrays alone has no file and so no peaks, without which the page gets along.
        if message.type == "error" and "/peaks/" not in message.location["url"]:
            self.complaints.append(message.text)

    def sign_in(self, page, role="reviewer"):
        page.goto(f"{self.live_server_url}/sign-in/")
        page.get_by_role("button", name=re.compile(f"As (the|a) {role}")).click()
        page.wait_for_selector("#desk")

    def assert_accessible(self, page):
        found = Axe().run(page).response["violations"]
        serious = [f"{v['id']}: {v['nodes'][0]['html'][:160]}" for v in found if v["impact"] in ("serious", "critical")]
        self.assertEqual(serious, [], page.url)

    def assert_fits(self, page):
        wide = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
        self.assertLessEqual(wide, 0, f"{page.url} scrolls sideways")

    def until(self, page, expression):
        """Wait for an expression of the page.

        Asked from outside, because its content policy allows no evaluation inside.
        """

        def holds():
            try:
                return page.evaluate(f"Boolean({expression})")
            except Error as error:
                if "context was destroyed" not in error.message:
                    raise
                return False  # the page was on its way elsewhere, and is asked again there

        self.wait_until(holds, told=lambda: f"for {expression}; the page shows: {page.evaluate(SHOWN)}")

    def wait_until(self, condition, seconds=60, told=lambda: ""):
        limit = time.monotonic() + seconds
        while time.monotonic() < limit:
            if found := condition():
                return found
            time.sleep(0.2)
        return self.fail(f"waited in vain {told()}; complaints: {self.complaints}")


class MeasuredCase(BrowserCase):
    """With a worker, and a mix that it has measured."""

    with_worker = True

    def measured_mix(self):
        with tempfile.TemporaryDirectory() as folder:
            voice, music = talk(24, [(6, 12)]), chord(24, -24)
            write_wav(Path(folder) / "mix.wav", stereo(voice + music))
            write_wav(Path(folder) / "dialogue.wav", stereo(voice))
            write_wav(Path(folder) / "music.wav", stereo(music))
            self.bring_in(folder, "mix", "dialogue", "music")
        self.wait_until(lambda: Run.objects.filter(state=Run.State.MEASURED).exists())

    def bring_in(self, folder, *roles):
        files = [(loader.upload(self.reviewer, self.production, Path(folder) / f"{role}.wav"), role) for role in roles]
        intake.ingest(
            self.reviewer,
            self.production,
            intake.Ingest(files=files, frame_rate="25", start_timecode="00:00:00:00", title="Ebb"),
        )
