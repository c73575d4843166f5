"""A figure on its way out: PNG, TIFF, SVG and PDF; its data as CSV; a script that draws it again with Matplotlib alone."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from curvesieve.core.errors import InputError
from curvesieve.core.figures.content import Shown, shown
from curvesieve.core.figures.draw import Page, drawn
from curvesieve.core.study.figure_parts import FigureSpec
from curvesieve.core.study.study import Study

SUFFIXES = {".png": "PNG", ".tiff": "TIFF", ".svg": "SVG", ".pdf": "PDF"}
DPI = (72, 1200)


def page_of(study: Study, spec: FigureSpec) -> Page:
    """The page of a figure as the study stands."""
    return drawn(spec, shown(study, spec))


def written(study: Study, spec: FigureSpec, suffix: str, dpi: int = 600, words_as_paths: bool = False) -> bytes:
    """A figure as the content of a file of one of `SUFFIXES`, at its size in mm. Raises InputError as `checked` does."""
    return save(page_of(study, spec), checked(suffix, dpi), dpi, words_as_paths)


def checked(suffix: str, dpi: int) -> str:
    """The suffix of `SUFFIXES` that is meant.

    Raises InputError for another one, and for dots that nobody could print or look at.
    """
    meant = ".tiff" if suffix.lower() == ".tif" else suffix.lower()
    if meant not in SUFFIXES:
        raise InputError(f"A figure is written as {', '.join(SUFFIXES)}, not as {suffix or 'a file without a suffix'}.")
    if not DPI[0] <= dpi <= DPI[1]:
        raise InputError(f"Between {DPI[0]} and {DPI[1]} dots per inch can be written, not {dpi}.")
    return meant


def save(page: Page, suffix: str, dpi: int = 600, words_as_paths: bool = False) -> bytes:
    """A drawn page as the content of a file."""
    import matplotlib as mpl

    buffer = io.BytesIO()
    nothing: dict[str, dict[str, str | None]] = {
        ".svg": {"Date": None}, ".pdf": {"CreationDate": None, "Producer": None, "Creator": "Curve Sieve"},
        ".png": {"Software": "Curve Sieve"},
    }  # fmt: skip
    with mpl.rc_context({"svg.fonttype": "path" if words_as_paths else "none", "pdf.fonttype": 42,
                         "svg.hashsalt": "curve sieve"}):  # fmt: skip
        if suffix == ".tiff":
            page.figure.savefig(buffer, format="tiff", dpi=dpi, pil_kwargs={"compression": "tiff_lzw"})
        else:
            page.figure.savefig(buffer, format=suffix[1:], dpi=dpi, metadata=nothing[suffix])
    return buffer.getvalue()


def data_csv(panels: Sequence[Shown]) -> str:
    """All that is drawn: a block of columns a line (x, y, u), side by side, with panel and name above. All digits."""
    columns: list[list[str]] = []
    for number, panel in enumerate(panels, 1):
        for line in panel.lines:
            label = f"panel {number}, {line.label}"
            columns.append([f"{label}: {panel.x or 'x'}", *map(repr, map(float, line.x))])
            columns.append([f"{label}: {panel.y or 'y'}", *map(repr, map(float, line.y))])
            if line.u is not None:
                columns.append([f"{label}: u", *map(repr, map(float, line.u))])
    longest = max((len(one) for one in columns), default=0)
    buffer = io.StringIO()
    rows = zip(*(one + [""] * (longest - len(one)) for one in columns), strict=True)
    csv.writer(buffer).writerows(rows)
    return buffer.getvalue()
