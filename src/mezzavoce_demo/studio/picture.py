"""A generated picture: sky, sea, a lighthouse with its turning beam, a boat, and the timecode burnt in."""

import math
import subprocess
from collections.abc import Iterator
from pathlib import Path

from PIL import Image, ImageDraw, ImageFont

from mezzavoce_core.timecode import Clock, format_timecode, parse_rate

from ..programmes.scenario import SERIES
from ..programmes.story import Episode

SIZE = (512, 288)
_HORIZON = 176
_SKIES = ((150, 178, 190), (120, 140, 168), (196, 176, 150), (96, 112, 140))


def film(episode: Episode | None, sounds: dict[str, Path], target: Path, start: str) -> None:
    """Write a MOV with picture (None: sound only), timecode track and sounds.

    The sounds are WAV files by title, unchanged, 24 bit.
    """
    command = ["ffmpeg", "-v", "error", "-y"]
    if episode:
        size = f"{SIZE[0]}x{SIZE[1]}"
        command += [
            "-f",
            "rawvideo",
            "-pix_fmt",
            "rgb24",
            "-s",
            size,
            "-r",
            str(parse_rate(episode.frame_rate)),
            "-i",
            "pipe:0",
            "-map",
            "0:v",
        ]
        command += ["-c:v", "libx264", "-preset", "ultrafast", "-crf", "27", "-pix_fmt", "yuv420p", "-timecode", start]
    inputs = [part for path in sounds.values() for part in ("-i", str(path))]
    titles = [
        part
        for k, title in enumerate(sounds)
        for part in ("-map", f"{k + bool(episode)}:a", f"-metadata:s:a:{k}", f"handler_name={title}")
    ]
    # Every input has to come before what is said of the output.
    at = command.index("-map") if episode else len(command)
    command = [*command[:at], *inputs, *command[at:], *titles, "-c:a", "copy", str(target)]
    with subprocess.Popen(command, stdin=subprocess.PIPE) as process:
        assert process.stdin is not None
        for frame in _frames(episode) if episode else ():
            process.stdin.write(frame)
        process.stdin.close()
        if process.wait() != 0:
            raise RuntimeError(f"ffmpeg could not write {target.name}")


def _frames(episode: Episode) -> Iterator[bytes]:
    rate = parse_rate(episode.frame_rate)
    clock = Clock.starting(episode.start, rate)
    back = _backdrop(episode)
    large = ImageFont.load_default(19)
    first, last = (round(s * rate.fps) for s in (episode.leader_s, episode.leader_s + episode.length_s))
    for number in range(round(episode.file_s * rate.fps)):
        shown = first <= number < last
        picture = back.copy() if shown else Image.new("RGB", SIZE)
        draw = ImageDraw.Draw(picture)
        if shown:
            _moving(draw, number / float(rate.fps), episode.number)
        elif number < first:
            draw.text((60, 110), f"{SERIES}\n{episode.number} {episode.title}", font=large, fill=(250, 246, 236))
        draw.rectangle((352, 252, 504, 280), fill=(20, 20, 26))
        draw.text((362, 255), format_timecode(clock.start_frame + number, rate), font=large, fill=(250, 246, 236))
        yield picture.tobytes()


def _backdrop(episode: Episode) -> Image.Image:
    back = Image.new("RGB", SIZE)
    draw = ImageDraw.Draw(back)
    top = _SKIES[episode.number % len(_SKIES)]
    for y in range(_HORIZON):
        draw.line((0, y, SIZE[0], y), fill=tuple(min(255, c + y // 3) for c in top))
    for y in range(_HORIZON, SIZE[1]):
        draw.line((0, y, SIZE[0], y), fill=tuple(max(0, c // 2 - (y - _HORIZON) // 4) for c in top))
    draw.polygon(
        [(60, _HORIZON + 14), (110, _HORIZON - 22), (170, _HORIZON - 16), (214, _HORIZON + 14)], fill=(66, 62, 62)
    )
    draw.polygon(
        [(122, _HORIZON - 20), (128, _HORIZON - 96), (144, _HORIZON - 96), (150, _HORIZON - 20)], fill=(236, 230, 220)
    )
    draw.rectangle((125, _HORIZON - 66, 147, _HORIZON - 50), fill=(150, 60, 46))
    draw.text((14, 10), f"{SERIES} {episode.number}", font=ImageFont.load_default(13), fill=(250, 246, 236))
    draw.rectangle((129, _HORIZON - 110, 143, _HORIZON - 96), fill=(250, 232, 170))
    return back


def _moving(draw: ImageDraw.ImageDraw, t: float, seed: int) -> None:
    beam = 300 * math.cos(t * 0.9 + seed)
    draw.polygon(
        [(136, _HORIZON - 103), (136 + beam, _HORIZON - 128), (136 + beam, _HORIZON - 86)], fill=(244, 232, 190)
    )
    x = (seed * 90 + t * 7) % (SIZE[0] + 80) - 40
    y = _HORIZON + 30 + 2 * math.sin(t * 1.7)
    draw.polygon([(x - 20, y), (x + 20, y), (x + 14, y + 9), (x - 14, y + 9)], fill=(40, 36, 40))
    draw.line((x, y, x, y - 22), fill=(40, 36, 40), width=2)
    for k in range(7):
        wave = (k * 83 + t * 14) % SIZE[0]
        draw.line((wave, _HORIZON + 20 + 12 * k, wave + 26, _HORIZON + 20 + 12 * k), fill=(214, 222, 224))
