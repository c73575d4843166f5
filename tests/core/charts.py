"""Charts with known truth, drawn by Matplotlib: lines, marks and bars in several styles, turned, as JPEG.

Matplotlib moves marks and ticks to whole pixels. So most charts are drawn some times as large and brought down by
averaging, as a scanner would; those drawn directly (`large` 1) have that rounding in them, up to half a pixel.
"""

from __future__ import annotations

import io
from dataclasses import dataclass, field
from typing import Any

import matplotlib as mpl
import matplotlib.style
import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.colors import to_rgb
from matplotlib.figure import Figure
from PIL import Image

from curvesieve.core.tracing.picture import Picture

STYLES = ("default", "classic", "bmh", "seaborn-v0_8-whitegrid", "dark_background", "ggplot")
_SNAPPED = ("axes.linewidth", "grid.linewidth", "xtick.major.width", "ytick.major.width", "xtick.minor.width",
            "ytick.minor.width")  # fmt: skip
TURNS = (0.0, 0.0, 0.0, 0.7, -1.6, 3.0)


@dataclass
class Series:
    """What one series was drawn as: its values and pixels of shape (n, 2), its colour in 0 to 255."""

    values: np.ndarray
    pixels: np.ndarray
    colour: np.ndarray
    marker: str = ""
    size: float = 0.0
    width: float = 0.0


@dataclass
class Drawn:
    """A chart with what it was drawn from; `whiskers` are the pixels (n, 2 ends, 2) of lower and upper ends."""

    picture: Picture
    kinds: tuple[str, str]
    ticks: tuple[np.ndarray, np.ndarray]
    to_pixels: Any
    series: list[Series] = field(default_factory=list)
    bars: np.ndarray | None = None
    whiskers: np.ndarray | None = None
    tick_places: tuple[np.ndarray, np.ndarray] | tuple[()] = ()
    limits: tuple[tuple[float, float], tuple[float, float]] = ((0, 1), (0, 1))
    told: str = ""


def drawn(seed: int, what: str = "lines", **fixed: Any) -> Drawn:
    """The chart of a seed: of `lines`, `marks`, `both` or `bars`."""
    rng = np.random.default_rng(seed)
    style = fixed.get("style", STYLES[seed % len(STYLES)])
    dpi = int(fixed.get("dpi", rng.choice([72, 100, 150, 200, 300])))
    large = int(fixed.get("large", 1 if what == "lines" and rng.random() < 0.2 else max(4, round(600 / dpi))))
    turn = float(fixed.get("turn", rng.choice(TURNS)))
    quality = fixed.get("quality", int(rng.integers(70, 96)) if rng.random() < 0.4 else 0)
    kinds = tuple(fixed.get("kinds", rng.choice(["linear", "log"], 2, p=[0.65, 0.35])))
    count = int(fixed.get("count", rng.integers(1, 5)))
    if what == "bars":
        kinds = ("linear", "linear")
    with mpl.style.context(style), mpl.rc_context({"lines.linewidth": float(rng.choice([1.0, 1.5, 2.0]))}):
        for name in _SNAPPED:  # lines of an odd number of pixels are drawn half a pixel off their place
            mpl.rcParams[name] = max(2, 2 * round(mpl.rcParams[name] * dpi * large / 144)) * 72 / dpi / large
        figure = Figure(figsize=(5.0, 4.0), dpi=dpi * large)
        FigureCanvasAgg(figure)
        axes = figure.add_axes((0.15, 0.15, 0.8, 0.78))
        if "grid" in fixed or what != "bars":
            axes.grid(bool(fixed.get("grid", rng.random() < 0.4)) or style in ("seaborn-v0_8-whitegrid", "ggplot"))
        series = _bars(axes, rng) if what == "bars" else _curves(axes, rng, what, kinds, count)
        if what != "bars":
            axes.set_xscale(kinds[0])
            axes.set_yscale(kinds[1])
        figure.canvas.draw()
        pixels = np.asarray(figure.canvas.buffer_rgba())[..., :3].copy()
        height = pixels.shape[0]
        image = Image.fromarray(pixels)
        size = (round(image.width / large), round(image.height / large))
        if large > 1:
            image = image.resize(size, Image.Resampling.BOX)
        ground = tuple(int(c) for c in pixels[0, 0])
        if turn:
            image = image.rotate(turn, Image.Resampling.BICUBIC, fillcolor=ground)
        if quality:
            buffer = io.BytesIO()
            image.save(buffer, format="JPEG", quality=quality)
            image = Image.open(buffer)
    middle = np.array(size) / 2
    cosine, sine = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    turned = np.array([[cosine, -sine], [sine, cosine]])

    def to_pixels(values: np.ndarray) -> np.ndarray:
        at = axes.transData.transform(values)
        at = np.stack([at[:, 0], height - at[:, 1]], axis=1) / large - middle
        return np.asarray(middle + at @ turned)

    def ticks(which: str) -> np.ndarray:
        axis = axes.xaxis if which == "x" else axes.yaxis
        low, high = sorted(axis.get_view_interval())
        return np.array([v for v in axis.get_majorticklocs() if low * (1 - 1e-9) <= v <= high * (1 + 1e-9)])

    scales = tuple("log10" if kind == "log" else "linear" for kind in kinds)
    told = f"seed {seed} {what} {style} {dpi} dpi ×{large} turn {turn} jpeg {quality} {scales} {count}"
    out = Drawn(
        Picture("chart.png", np.asarray(image.convert("RGB")).copy(), ""), scales, (ticks("x"), ticks("y")), to_pixels
    )
    out.tick_places = tuple(  # as Matplotlib draws them: moved to the nearest whole pixel
        middle + (np.floor(_places(axes, ticks(which), which, height) + 0.5) / large - middle) @ turned
        for which in "xy"
    )
    out.told, out.limits = told, (tuple(sorted(axes.get_xlim())), tuple(sorted(axes.get_ylim())))
    for one in series["series"]:
        points = one.pop("values")
        out.series.append(Series(points, to_pixels(points), **one))
        out.series[-1].size *= dpi / 72
        out.series[-1].width *= dpi / 72
    if "bars" in series:
        out.bars = to_pixels(series["bars"].reshape(-1, 2)).reshape(-1, 2, 2)
        out.whiskers = to_pixels(series["whiskers"].reshape(-1, 2)).reshape(-1, 2, 2)
        out.bar_values, out.whisker_values, out.groups = series["bars"], series["whiskers"], series["groups"]
    return out


def _places(axes: Any, values: np.ndarray, which: str, height: int) -> np.ndarray:
    """The pixels of ticks as they are, before they are moved, on the lower or left side."""
    x, y = (axes.get_xlim()[0], axes.get_ylim()[0])
    at = [(v, y) if which == "x" else (x, v) for v in values]
    places = axes.transData.transform(np.array(at).reshape(-1, 2))
    return np.stack([places[:, 0], height - places[:, 1]], axis=1)


def _colour(colour: str) -> np.ndarray:
    return np.array(to_rgb(colour)) * 255


def _law(rng: np.random.Generator, s: np.ndarray) -> np.ndarray:
    """A smooth curve over 0 to 1 with values in 0 to 1: a release, a decay, a hump or a wave."""
    kind = rng.integers(4)
    if kind == 0:
        return np.asarray(0.05 + rng.uniform(0.5, 0.85) / (1 + np.exp(-(s - rng.uniform(0.3, 0.7)) / 0.1)))
    if kind == 1:
        return np.asarray(0.05 + rng.uniform(0.4, 0.9) * np.exp(-s / rng.uniform(0.2, 0.6)))
    if kind == 2:
        return np.asarray(0.1 + rng.uniform(0.3, 0.8) * np.exp(-(((s - rng.uniform(0.3, 0.7)) / 0.15) ** 2)))
    return np.asarray(0.5 + rng.uniform(0.2, 0.4) * np.sin(2 * np.pi * (rng.uniform(0.6, 1.3) * s + rng.uniform())))


_MARKS = ("o", "s", "D", "^", "v")


def _curves(axes: Any, rng: np.random.Generator, what: str, kinds: Any, count: int) -> dict[str, Any]:
    start, decades = 10.0 ** rng.uniform(-3, 3), rng.uniform(2.5, 4.5)
    y_start, y_decades = 10.0 ** rng.uniform(-2, 2), rng.uniform(2, 4)
    out = []
    colours = mpl.rcParams["axes.prop_cycle"].by_key()["color"]
    marks = rng.permutation(_MARKS)
    fill = rng.random() < 0.5
    for number in range(count):
        law = rng.spawn(1)[0]
        state = int(law.integers(2**31))

        def of(s: np.ndarray, state: int = state) -> np.ndarray:
            f = _law(np.random.default_rng(state), s)
            x = start * 10 ** (decades * s) if kinds[0] == "log" else start * (1 + 9 * s)
            return np.stack([x, y_start * 10 ** (y_decades * f) if kinds[1] == "log" else y_start * 10 * f], axis=1)

        colour = colours[number % len(colours)]
        whole = {"values": of(np.linspace(0, 1, 600)), "colour": _colour(colour)}
        some = {"values": of(np.sort(rng.uniform(0, 1, int(rng.integers(8, 20))))), "colour": _colour(colour)}
        if what in ("lines", "both"):
            axes.plot(*whole["values"].T, color=colour)
            whole["width"] = mpl.rcParams["lines.linewidth"]
        if what in ("marks", "both"):
            mark, size = str(marks[number % len(marks)]), float(rng.choice([5.0, 6.0, 8.0]))
            face = colour if fill else mpl.rcParams["axes.facecolor"]
            axes.plot(*some["values"].T, mark, color=colour, markerfacecolor=face, markeredgecolor=colour,
                      markersize=size, markeredgewidth=0.0 if fill and mark in "^v" else 1.2, zorder=3)  # fmt: skip
            some |= {"marker": mark, "size": size}
        out.append(whole if what == "lines" else some)
    return {"series": out}


def _bars(axes: Any, rng: np.random.Generator) -> dict[str, Any]:
    groups, kinds = int(rng.integers(1, 4)), int(rng.integers(2, 6))
    colours = mpl.rcParams["axes.prop_cycle"].by_key()["color"]
    scale = 10.0 ** rng.uniform(-2, 3)
    width = 0.8 / groups
    tops, ends, names = [], [], []
    dark = mpl.rcParams["figure.facecolor"] == "black"
    ink = "w" if dark else mpl.rcParams["axes.edgecolor"] if mpl.rcParams["axes.edgecolor"] != "white" else "k"
    for group in range(groups):
        x = np.arange(kinds) + group * width
        value = scale * rng.uniform(0.3, 1, kinds)
        half = value * rng.uniform(0.06, 0.2, kinds)
        axes.bar(x, value, 0.9 * width, color=colours[group], edgecolor=None if rng.random() < 0.5 else ink)
        axes.errorbar(x, value, half, fmt="none", ecolor="w" if dark else "k", capsize=float(rng.choice([3, 4])),
                      elinewidth=1.2, capthick=1.2)  # fmt: skip
        tops += [[(a, 0), (a, b)] for a, b in zip(x, value, strict=True)]
        ends += [[(a, b - h), (a, b + h)] for a, b, h in zip(x, value, half, strict=True)]
        names += [group] * kinds
    axes.set_ylim(0, scale * 1.3)
    return {"series": [], "bars": np.array(tops), "whiskers": np.array(ends), "groups": np.array(names)}
