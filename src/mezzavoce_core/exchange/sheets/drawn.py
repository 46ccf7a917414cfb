"""Pictures of passages for paper, drawn with the same hand as on the screen: lines for the voice, an area under it."""

from itertools import pairwise

from reportlab.lib.units import mm
from reportlab.platypus import Flowable

from .picture import Picture

_VOICE, _UNDER, _INK, _SOFT = "#0e5a63", "#9a6412", "#231f2b", "#8a8070"
_LEVELS_MM, _BANDS_MM, _HIGH_MM, _GAP_MM = 92, 66, 24, 8
_SPAN_DB, _BAND_SPAN_DB = 30.0, 60.0
_LEGEND = 6.5


class Drawn(Flowable):  # type: ignore[misc]
    """A picture of a passage, from ``in_s`` to ``out_s``."""

    def __init__(self, picture: Picture, span_s: tuple[float, float]) -> None:
        super().__init__()
        self.picture, self.span_s = picture, span_s
        self.width, self.height = (_LEVELS_MM + _GAP_MM + _BANDS_MM) * mm, (_HIGH_MM + 6) * mm

    def draw(self) -> None:
        """Called by the library."""
        self.canv.translate(0, 4.5 * mm)
        if self.picture.voice:
            self._levels()
        if self.picture.bands:
            self.canv.translate((_LEVELS_MM + _GAP_MM) * mm if self.picture.voice else 0, 0)
            self._bands()

    def _levels(self) -> None:
        pen, told = self.canv, self.picture
        wide, high = float(_LEVELS_MM * mm), float(_HIGH_MM * mm)
        known = [v for v in (*told.voice, *told.under) if v is not None]
        top = max(known, default=0.0) + 2.0
        length_s = max(told.hop_s, (len(told.voice) - 1) * told.hop_s)

        def x(time_s: float) -> float:
            return min(1.0, max(0.0, (time_s - told.start_s) / length_s)) * wide

        def y(level: float) -> float:
            return max(0.0, 1.0 - (top - level) / _SPAN_DB) * high

        pen.setFillColor("#f1eadb")
        pen.rect(x(self.span_s[0]), 0, max(0.6, x(self.span_s[1]) - x(self.span_s[0])), high, stroke=0, fill=1)
        for levels, colour, width in ((told.under, _UNDER, 0.8), (told.voice, _VOICE, 1.1)):
            pen.setStrokeColor(colour)
            pen.setLineWidth(width)
            points = [(x(told.start_s + k * told.hop_s), None if v is None else y(v)) for k, v in enumerate(levels)]
            for (a, b), (c, d) in pairwise(points):
                if b is not None and d is not None:
                    pen.line(a, b, c, d)
        self._caption(wide, f"voice (dark) and what lies under it, LUFS, {top - _SPAN_DB:.0f} to {top:.0f}")

    def _bands(self) -> None:
        pen, bands = self.canv, self.picture.bands
        wide, high = float(_BANDS_MM * mm), float(_HIGH_MM * mm)
        top, step = max(max(voice, under) for _, voice, under in bands), wide / len(bands)

        def tall(level: float) -> float:
            return max(0.0, 1.0 - (top - level) / _BAND_SPAN_DB) * high

        for k, (_, voice, under) in enumerate(bands):
            covered = voice < under
            pen.setFillColor("#e3b9a9" if covered else "#e6dcc4")
            pen.rect(k * step + 0.4, 0, step - 0.8, tall(under), stroke=0, fill=1)
            pen.setStrokeColor("#a8321f" if covered else _VOICE)
            pen.setLineWidth(1.2)
            pen.line(k * step + 0.4, tall(voice), (k + 1) * step - 0.4, tall(voice))
        low, last = bands[0][0], bands[-1][0]
        self._caption(wide, f"by bands, {low:.0f} Hz to {last / 1000:.3g} kHz: the voice (lines), under it (filled)")

    def _caption(self, wide: float, words: str) -> None:
        pen = self.canv
        pen.setStrokeColor(_SOFT)
        pen.setLineWidth(0.4)
        pen.line(0, 0, wide, 0)
        pen.setFillColor(_INK)
        pen.setFont("Helvetica", _LEGEND)
        pen.drawString(0, -2.6 * mm, words)
