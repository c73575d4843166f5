"""Matplotlib has one set of settings for all threads: who changes them, or must see them still, holds `DRAWING`."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from threading import RLock

DRAWING = RLock()


@cache
def bring_fonts() -> None:
    """Sees to it that Matplotlib knows the fonts it brings along.

    It keeps the list of fonts in a file that all programs of a user share; one that was written while another
    installation was being removed lacks them, and mathematics would then be set without its Greek letters.
    """
    import matplotlib as mpl
    from matplotlib.font_manager import fontManager

    have = {Path(one.fname).name for one in fontManager.ttflist}
    for path in sorted(Path(mpl.get_data_path(), "fonts", "ttf").glob("*.ttf")):
        if path.name not in have:
            fontManager.addfont(str(path))
