"""How things are called that only the application knows."""

from ..library.models import Mix


def rate_words(mix: Mix) -> str:
    """A frame rate as people say it."""
    fps = f"{float(mix.clock.rate.fps):.3f}".rstrip("0").rstrip(".")
    named = {"29.970": "29.97", "59.940": "59.94"}.get(f"{float(mix.clock.rate.fps):.3f}", fps)
    return f"{named} frames/s{', drop-frame' if mix.drop_frame else ''}"
