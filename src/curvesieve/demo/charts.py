"""Two printed charts as pictures: silver released over time, strength of strips with its spread. All made up."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

FOLDER = "charts"
RELEASE, STRENGTH = "release-chart.png", "strength-bars.png"
_SIZE, _LARGE = (1240, 940), 4
"""Pixels of a picture, and how many times as large it is drawn before it is brought down."""
_FRAME = (170.0, 60.0, 1190.0, 820.0)
_INK, _GRID = (68, 68, 68), (205, 205, 205)
_FONT = Path(__file__).parents[1] / "fonts" / "SourceSans3-Regular.ttf"


@dataclass(frozen=True)
class Release:
    """The truth of one film: released = most·(1 − exp(−(t/tau)^n)), in % and d."""

    loading: float
    most: float
    tau: float
    n: float
    colour: tuple[int, int, int]

    def at(self, t: np.ndarray) -> np.ndarray:
        """Silver released in %, at times in d; both of one shape."""
        return np.asarray(self.most * (1 - np.exp(-((t / self.tau) ** self.n))))


@dataclass(frozen=True)
class Strength:
    """The truth of one bar: the mean strength of five strips in MPa and their standard deviation."""

    loading: float
    dried: str
    mean: float
    s: float


def releases() -> list[Release]:
    """More silver: more of it is released, and sooner."""
    return [
        Release(1.0, 58.0, 2.6, 0.60, (180, 83, 42)), Release(2.0, 78.0, 1.1, 0.62, (15, 118, 110)),
        Release(4.0, 92.0, 0.40, 0.66, (74, 63, 160)),
    ]  # fmt: skip


def strengths() -> list[Strength]:
    """Films dried in air and under a press, at four loadings; n = 5."""
    air = [(0.0, 61.0, 3.4), (1.0, 66.5, 2.9), (2.0, 70.2, 4.1), (4.0, 63.8, 5.2)]
    press = [(0.0, 72.4, 2.6), (1.0, 79.0, 3.1), (2.0, 84.6, 3.8), (4.0, 76.1, 4.6)]
    return [Strength(c, "in air", m, s) for c, m, s in air] + [Strength(c, "pressed", m, s) for c, m, s in press]


class _Sheet:
    """A large sheet with a frame, drawn in pixels of the picture and brought down by averaging, as a scanner would."""

    def __init__(self) -> None:
        from PIL import Image, ImageDraw, ImageFont

        self.image = Image.new("RGB", (_SIZE[0] * _LARGE, _SIZE[1] * _LARGE), "white")
        self.draw = ImageDraw.Draw(self.image)
        self.font = ImageFont.truetype(str(_FONT), 26 * _LARGE)

    def line(self, places: Any, colour: tuple[int, int, int], width: float) -> None:
        if len(places) == 2 and (places[0][0] == places[1][0] or places[0][1] == places[1][1]):
            (x, y), (x_end, y_end) = (min(places), max(places))
            aside = (width / 2, 0) if x == x_end else (0, width / 2)  # Pillow's own lie up to a pixel off
            self.box(x - aside[0], y - aside[1], x_end + aside[0], y_end + aside[1], colour)
            return
        points = [(float(x) * _LARGE, float(y) * _LARGE) for x, y in places]
        self.draw.line(points, fill=colour, width=round(width * _LARGE), joint="curve")

    def box(self, left: float, top: float, right: float, bottom: float, fill: tuple[int, int, int]) -> None:
        # Pillow's boxes hold their last pixel
        corners = [round(left * _LARGE), round(top * _LARGE), round(right * _LARGE) - 1, round(bottom * _LARGE) - 1]
        self.draw.rectangle(corners, fill=fill)

    def words(self, x: float, y: float, text: str, anchor: str) -> None:
        self.draw.text((x * _LARGE, y * _LARGE), text, fill=_INK, font=self.font, anchor=anchor)

    def standing_words(self, x: float, y: float, text: str) -> None:
        from PIL import Image, ImageDraw

        wide = int(self.font.getlength(text)) + 8
        words = Image.new("RGB", (wide, 40 * _LARGE), "white")
        ImageDraw.Draw(words).text((4, 4), text, fill=_INK, font=self.font)
        turned = words.rotate(90, expand=True)
        self.image.paste(turned, (round(x * _LARGE), round(y * _LARGE - turned.height / 2)))

    def frame(self) -> None:
        left, top, right, bottom = _FRAME
        for a, b in (((left - 1, top), (right + 1, top)), ((right, top), (right, bottom)),
                     ((left - 1, bottom), (right + 1, bottom)), ((left, bottom), (left, top))):  # fmt: skip
            self.line([a, b], _INK, 2)

    def save(self, path: Path) -> None:
        from PIL import Image

        self.image.resize(_SIZE, Image.Resampling.BOX).save(path)


def time_px(t: np.ndarray) -> np.ndarray:
    """The pixels of times in d, from 0.001 to 100 by logarithms; of one shape."""
    return np.asarray(_FRAME[0] + (np.log10(t) + 3) / 5 * (_FRAME[2] - _FRAME[0]))


def share_px(value: np.ndarray, most: float = 100.0) -> np.ndarray:
    """The pixels of values from 0 to `most`, from the bottom; of one shape."""
    return np.asarray(_FRAME[3] - np.asarray(value) / most * (_FRAME[3] - _FRAME[1]))


def write_charts(folder: Path) -> list[Path]:
    """Writes both pictures and the truth beside them; returns the pictures' paths."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = [folder / RELEASE, folder / STRENGTH]
    _release(paths[0])
    _strength(paths[1])
    truth = {
        RELEASE: [{"loading": r.loading, "most": r.most, "tau": r.tau, "n": r.n} for r in releases()],
        STRENGTH: [{"loading": b.loading, "dried": b.dried, "mean": b.mean, "s": b.s, "n": 5} for b in strengths()],
    }
    (folder / "truth.json").write_text(json.dumps(truth, indent=1), encoding="utf-8")
    return paths


def _release(path: Path) -> None:
    sheet = _Sheet()
    for decade in range(-3, 3):
        x = float(time_px(np.array(10.0**decade)))
        if -3 < decade < 2:
            sheet.line([(x, _FRAME[1]), (x, _FRAME[3])], _GRID, 1)
        sheet.line([(x, _FRAME[3]), (x, _FRAME[3] + 10)], _INK, 2)
        sheet.words(x, _FRAME[3] + 18, f"{10.0**decade:g}", "ma")
        for k in range(2, 10):
            if decade < 2:
                minor = float(time_px(np.array(k * 10.0**decade)))
                sheet.line([(minor, _FRAME[3]), (minor, _FRAME[3] + 6)], _INK, 1.5)
    _shares(sheet, range(0, 101, 20), 100.0, "Silver released (%)")
    t = np.geomspace(0.002, 60, 400)
    for film in releases():
        sheet.line(np.stack([time_px(t), share_px(film.at(t))], axis=1), film.colour, 3)
    sheet.frame()
    sheet.words((_FRAME[0] + _FRAME[2]) / 2, 880, "Time (d)", "ma")
    for k, film in enumerate(releases()):
        sheet.line([(210, 100 + 36 * k), (260, 100 + 36 * k)], film.colour, 3)
        sheet.words(272, 100 + 36 * k, f"{film.loading:g} wt%", "lm")
    sheet.save(path)


def _shares(sheet: _Sheet, values: range, most: float, title: str) -> None:
    for value in values:
        y = float(share_px(np.array(float(value)), most))
        if 0 < value < most:
            sheet.line([(_FRAME[0], y), (_FRAME[2], y)], _GRID, 1)
        sheet.line([(_FRAME[0] - 10, y), (_FRAME[0], y)], _INK, 2)
        sheet.words(_FRAME[0] - 18, y, f"{value}", "rm")
    sheet.standing_words(28, (_FRAME[1] + _FRAME[3]) / 2, title)


def _strength(path: Path) -> None:
    sheet = _Sheet()
    most = 110.0
    _shares(sheet, range(0, 101, 20), most, "Tensile strength (MPa)")
    colours = {"in air": (121, 164, 90), "pressed": (217, 164, 59)}
    loadings = sorted({bar.loading for bar in strengths()})
    for bar in strengths():
        middle = 300 + 260 * loadings.index(bar.loading) + (-48 if bar.dried == "in air" else 48)
        top, low, high = (float(share_px(np.array(v), most)) for v in (bar.mean, bar.mean - bar.s, bar.mean + bar.s))
        sheet.box(middle - 42, top, middle + 42, _FRAME[3], colours[bar.dried])
        sheet.line([(middle, low), (middle, high)], _INK, 2)
        for end in (low, high):
            sheet.line([(middle - 12, end), (middle + 12, end)], _INK, 2)
    sheet.frame()
    for k, loading in enumerate(loadings):
        sheet.words(300 + 260 * k, _FRAME[3] + 18, f"{loading:g}", "ma")
    sheet.words((_FRAME[0] + _FRAME[2]) / 2, 880, "Loading (wt%)", "ma")
    for k, (dried, colour) in enumerate(colours.items()):
        sheet.box(210 + 200 * k, 86, 240 + 200 * k, 112, colour)
        sheet.words(252 + 200 * k, 99, dried, "lm")
    sheet.words(1180, 99, "mean ± s, n = 5", "rm")
    sheet.save(path)
