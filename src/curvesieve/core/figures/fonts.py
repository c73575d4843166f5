"""The fonts that a page can be set in, the shipped one among them, and the settings that Matplotlib draws it with."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import cache, lru_cache
from pathlib import Path
from typing import Any

from curvesieve.core.drawing import bring_fonts
from curvesieve.core.study.figure_parts import Manner

SHIPPED = Path(__file__).parents[2] / "fonts"
SPARE = "DejaVu Sans"
"""The font that Matplotlib brings along."""
_OF_NUMBERS = "0123456789.,×−-⁻⁰¹²³⁴⁵⁶⁷⁸⁹()kMGTmµnpfE…\N{THIN SPACE}"


@cache
def families() -> frozenset[str]:
    """The families of fonts that can be drawn with, the shipped ones among them."""
    from matplotlib import font_manager

    bring_fonts()
    manager = font_manager.fontManager
    have = {Path(one.fname).name for one in manager.ttflist}
    for path in sorted(SHIPPED.glob("*.ttf")):
        if path.name not in have:
            manager.addfont(str(path))
    return frozenset(one.name for one in manager.ttflist)


@lru_cache(maxsize=32)
def _letters(family: str) -> frozenset[int]:
    """The letters that a font has."""
    from matplotlib.font_manager import FontProperties, findfont, get_font

    return frozenset(get_font(findfont(FontProperties(family=family))).get_charmap())


def has_all(family: str, texts: Iterable[str]) -> bool:
    """Whether a font has every letter of these texts, and of the numbers that axes have."""
    wanted = {ord(letter) for text in (*texts, _OF_NUMBERS) for letter in text if letter != "\n"}
    return wanted <= _letters(family)


def settings(manner: Manner, family: str, alone: bool = False) -> dict[str, Any]:
    """Matplotlib's settings for a page in this manner and font: also for writing it, as formulas are set only then.

    A font that is `alone` is not helped out by the spare one: looking in both at each word takes its time.
    """
    named = re.sub(r"([\\\-:,])", r"\\\1", family)  # a dash or a colon would end the name
    ink, paper, lines = manner.ink, manner.paper, manner.lines
    return {
        "font.family": [family] if alone or family == SPARE else [family, SPARE], "font.size": manner.words,
        "axes.labelsize": manner.words, "xtick.labelsize": manner.words, "ytick.labelsize": manner.words,
        "legend.fontsize": manner.words, "axes.linewidth": lines, "lines.linewidth": lines, "axes.edgecolor": ink,
        "axes.labelcolor": ink, "xtick.color": ink, "ytick.color": ink, "text.color": ink, "axes.facecolor": paper,
        "figure.facecolor": paper, "savefig.facecolor": paper, "mathtext.default": "regular",
        "mathtext.fontset": "custom", "mathtext.rm": named,
        "mathtext.it": f"{SPARE}:italic", "mathtext.cal": SPARE,
        "xtick.major.width": lines, "ytick.major.width": lines, "xtick.minor.width": 0.7 * lines,
        "ytick.minor.width": 0.7 * lines, "axes.unicode_minus": True, "path.simplify": True,
        "path.simplify_threshold": 0.1, "agg.path.chunksize": 0, "axes.xmargin": 0.02, "axes.ymargin": 0.05,
    }  # fmt: skip
