"""The colours, each named for what it says. Widgets ask `palette()`; nothing else names a colour."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from PyQt6.QtGui import QColor


@dataclass(frozen=True)
class Palette:
    """One scheme. `verdigris` is what the user acts on, `rust` what is caught, `violet` the model, `straw` where
    you are, `ghost` the curve before."""

    name: str
    ink: str
    paper: str
    card: str
    line: str
    muted: str
    verdigris: str
    rust: str
    violet: str
    straw: str
    ghost: str
    header: str
    header_ink: str
    header_muted: str
    on_verdigris: str
    tint: str
    sunk: str
    hover: str
    grid: str


LIGHT = Palette(
    name="light", ink="#22302F", paper="#F5F3EE", card="#FFFFFF", line="#DAD6CC", muted="#66716D", verdigris="#0F766E",
    rust="#B4532A", violet="#4A3FA0", straw="#F2C14E", ghost="#B9B4A8", header="#22302F", header_ink="#F5F3EE",
    header_muted="#A9B3B0", on_verdigris="#FFFFFF", tint="#E4EFEC", sunk="#FBFAF7", hover="#EFECE4", grid="#ECE9E2",
)  # fmt: skip
DARK = Palette(
    name="dark", ink="#E6EAE7", paper="#171F1E", card="#202A29", line="#3A4745", muted="#9CA9A4", verdigris="#3FB0A3",
    rust="#E58C5E", violet="#A99DF5", straw="#F2C14E", ghost="#65716D", header="#101615", header_ink="#F0EEE8",
    header_muted="#8E9A96", on_verdigris="#0C1615", tint="#21403C", sunk="#1B2423", hover="#293533", grid="#2A3533",
)  # fmt: skip

_current = LIGHT

# A perceptually even walk from deep blue-green over straw to rust, for curves in the order of a condition.
_ORDERED = ("#24424D", "#2F7F79", "#79A45A", "#D9A43B", "#B4532A")
_ORDERED_DARK = ("#6FA6B8", "#4FBDB2", "#9CCB78", "#F0C05C", "#EC8F61")


def palette() -> Palette:
    """The scheme in use."""
    return _current


def use(chosen: Palette) -> None:
    """Makes a scheme the one in use; `apply_theme` then restyles the application."""
    global _current
    _current = chosen


def family_colours(count: int) -> tuple[QColor, ...]:
    """Colours for `count` curves in the order of their condition."""
    return _colours(count, _current)


@lru_cache(maxsize=64)
def _colours(count: int, scheme: Palette) -> tuple[QColor, ...]:
    stops = [QColor(name) for name in (_ORDERED if scheme.name == "light" else _ORDERED_DARK)]
    if count == 1:
        return (QColor(scheme.ink),)
    colours = []
    for i in range(count):
        place = i / (count - 1) * (len(stops) - 1)
        low = min(int(place), len(stops) - 2)
        share = place - low
        a, b = stops[low], stops[low + 1]
        mixed = (round(p + (q - p) * share) for p, q in zip(a.getRgb()[:3], b.getRgb()[:3], strict=True))
        colours.append(QColor(*mixed))
    return tuple(colours)


def colour(name: str, alpha: int = 255) -> QColor:
    """A colour of the scheme in use by its name, as Qt wants it."""
    made = QColor(getattr(_current, name))
    made.setAlpha(alpha)
    return made
