"""Takes one picture of each main view: starts the demo afresh, goes the reviewer's way, ends it."""

import os
import re
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

from .announce import ALL_MEASURED

_FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
_DESK = {"width": 1280, "height": 800}
_PHONE = {"width": 390, "height": 844}
_PATIENCE_S = 400


def main(target: Path) -> None:
    """Write the pictures to a folder."""
    target.mkdir(parents=True, exist_ok=True)
    with _demo() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=_FLAGS)
        page = browser.new_context(viewport=_DESK).new_page()
        link = _walk(page, address, target)
        _editor(browser, link, target)
        browser.close()


@contextmanager
def _demo() -> Iterator[str]:
    process = subprocess.Popen(
        [sys.executable, "-m", "mezzavoce_demo.serve", "--fresh"],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        start_new_session=True,
    )
    try:
        assert process.stdout is not None
        address = ""
        for line in process.stdout:
            if found := re.search(r"is running:\s+(\S+)", line):
                address = found[1]
            if ALL_MEASURED in line:
                yield address
                return
        raise RuntimeError("The demo did not start; run bin/demo to see why.")
    finally:
        os.kill(process.pid, signal.SIGINT)
        process.wait()


def _walk(page: Page, address: str, target: Path) -> str:
    """Go from the sign-in to the mailbox; returns the editor's link."""
    page.goto(address)
    page.screenshot(path=target / "sign-in.png")
    page.click("text=As the reviewer")
    page.wait_for_selector("#desk")
    _know(page)
    _review(page, target)
    page.keyboard.press("m")
    page.wait_for_selector("text=See what will go out")
    _know(page)
    page.screenshot(path=target / "notes.png")
    page.keyboard.press("j")
    page.keyboard.press("e")
    page.wait_for_selector(".one-note")
    page.screenshot(path=target / "note.png")
    page.go_back()
    page.wait_for_selector("text=See what will go out")
    page.click("text=See what will go out")
    page.wait_for_selector("text=This is what will go out")
    page.wait_for_timeout(500)
    page.screenshot(path=target / "preview.png")
    page.click("text=Send it")
    page.wait_for_selector("h1:has-text('Sent')")
    _wait(lambda: page.goto(f"{address}mailbox/") and page.locator("iframe").count())
    page.wait_for_timeout(500)
    page.screenshot(path=target / "mailbox.png")
    link = page.frame_locator("iframe").locator("a").first.get_attribute("href")
    assert link
    page.goto(address)
    page.wait_for_selector("td.standing:has-text('waits for answers')")
    page.screenshot(path=target / "desk.png")
    page.keyboard.press("u")
    page.wait_for_selector(".up-next")
    page.screenshot(path=target / "up-next.png")
    _open(page, address, "The Net Loft")
    page.wait_for_selector(".sample-picture")
    page.screenshot(path=target / "review-signal.png")
    _open(page, address, "The Stone Boat of Nesund")
    page.keyboard.press("g")
    page.wait_for_selector("#range-panel:visible")
    page.wait_for_timeout(500)
    page.screenshot(path=target / "range.png")
    _open(page, address, "Fog at the Outer Mark")
    page.keyboard.press("s")
    page.wait_for_selector("#span-panel:visible")
    page.screenshot(path=target / "speech.png")
    _beside(page, address, target)
    _other_pages(page, address, target)
    return link


def _other_pages(page: Page, address: str, target: Path) -> None:
    """What is not on the way of a mix."""
    page.goto(address)
    page.click("text=Planted")
    page.wait_for_selector(".planted")
    page.screenshot(path=target / "planted.png")
    page.goto(address)
    page.click("text=Specs")
    page.wait_for_selector(".limits")
    page.screenshot(path=target / "specs.png")
    for words, name in (("People", "people"), ("Programmes", "programmes")):
        page.goto(address)
        page.click(f".top-nav >> text={words}")
        page.wait_for_selector(".plain-table")
        page.screenshot(path=target / f"{name}.png")
    page.goto(address)
    _ingest(page, "03", target / "ingest.png")


def _know(page: Page) -> None:
    """Put the first words of a page away."""
    page.click("text=I know this")
    page.wait_for_selector("[data-first-words]", state="detached")


def _beside(page: Page, address: str, target: Path) -> None:
    """A second mix beside the first one."""
    _open(page, address, "Paraffin Day")
    page.keyboard.press("c")
    page.wait_for_selector("#rechecks .is-chosen")
    page.wait_for_timeout(1500)
    page.screenshot(path=target / "beside.png")


def _open(page: Page, address: str, title: str) -> None:
    page.goto(address)
    page.click(f"text={title}")
    # The film of a second mix is made after all the first ones.
    page.wait_for_selector("#play:visible", timeout=_PATIENCE_S * 1000)
    page.wait_for_timeout(1500)


def _review(page: Page, target: Path) -> None:
    page.click("text=The Bell Buoy off Tarn Skerry")
    page.wait_for_selector("#play:visible")
    _know(page)
    page.wait_for_timeout(1500)
    page.screenshot(path=target / "review-day.png")
    page.keyboard.press("Enter")
    page.wait_for_selector(".finding[data-mark=B]")
    page.keyboard.press(" ")
    page.click("button:has-text('Night')")
    page.wait_for_timeout(1500)
    page.screenshot(path=target / "review-night.png")
    page.click("button:has-text('Day')")
    page.wait_for_selector("html[data-light=day]")
    page.wait_for_selector(".decide")
    page.keyboard.press("Enter")
    page.wait_for_selector("[data-fact=open]:has-text('0 of ')")


def _ingest(page: Page, number: str, target: Path) -> None:
    page.click("text=Ingest a mix")
    folders = (Path(os.environ["MEZZAVOCE_DATA_DIR"]) / "demo-media").iterdir()
    media = max(folders, key=lambda folder: folder.stat().st_mtime)
    page.set_input_files("#choose", sorted(str(p) for p in media.glob(f"* {number} *")))
    page.wait_for_selector("#measure:not([disabled])")
    if page.is_visible("text=I know this"):
        _know(page)
    page.wait_for_timeout(500)
    page.screenshot(path=target)


def _editor(browser: Browser, link: str, target: Path) -> None:
    phone = browser.new_context(viewport=_PHONE).new_page()
    _wait(lambda: phone.goto(link) and phone.locator("video").count() == phone.locator("article").count())
    phone.wait_for_timeout(1000)
    phone.screenshot(path=target / "editor.png")


def _wait(condition: object) -> None:
    end_at = time.monotonic() + _PATIENCE_S
    while time.monotonic() < end_at:
        if condition():  # type: ignore[operator]
            return
        time.sleep(1)
    raise RuntimeError("waited in vain")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
