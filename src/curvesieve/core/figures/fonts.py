"""The fonts that a page can be set in, the shipped one among them, and the settings that Matplotlib draws it with."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from curvesieve.core.study.figure_parts import Manner

SHIPPED = Path(__file__).parents[2] / "fonts"
SPARE = "DejaVu Sans"
"""The font that Matplotlib brings along."""


def families() -> set[str]:
    """The families of fonts that can be drawn with, the shipped ones among them."""
    from matplotlib import font_manager

    manager = font_manager.fontManager
    have = {Path(one.fname).name for one in manager.ttflist}
    for path in sorted(SHIPPED.glob("*.ttf")):
        if path.name not in have:
            manager.addfont(str(path))
    return {one.name for one in manager.ttflist}


def settings(manner: Manner, family: str) -> dict[str, Any]:
    """Matplotlib's settings for a page in this manner and font: also for writing it, as formulas are set only then."""
    ink, paper, lines = manner.ink, manner.paper, manner.lines
    return {
        "font.family": [family, SPARE] if family != SPARE else [SPARE], "font.size": manner.words,
        "axes.labelsize": manner.words, "xtick.labelsize": manner.words, "ytick.labelsize": manner.words,
        "legend.fontsize": manner.words, "axes.linewidth": lines, "lines.linewidth": lines, "axes.edgecolor": ink,
        "axes.labelcolor": ink, "xtick.color": ink, "ytick.color": ink, "text.color": ink, "axes.facecolor": paper,
        "figure.facecolor": paper, "savefig.facecolor": paper, "mathtext.default": "regular",
        "mathtext.fontset": "custom", "mathtext.rm": family, "mathtext.it": f"{SPARE}:italic", "mathtext.cal": SPARE,
        "xtick.major.width": lines, "ytick.major.width": lines, "xtick.minor.width": 0.7 * lines,
        "ytick.minor.width": 0.7 * lines, "axes.unicode_minus": True, "path.simplify": True,
        "path.simplify_threshold": 0.1, "agg.path.chunksize": 0, "axes.xmargin": 0.02, "axes.ymargin": 0.05,
    }  # fmt: skip
