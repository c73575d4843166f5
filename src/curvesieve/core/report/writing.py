"""Reports as HTML that needs nothing else, and as PDF of A4 pages."""

from __future__ import annotations

import html
import io
import textwrap
from collections.abc import Callable
from typing import TYPE_CHECKING

from curvesieve.core.drawing import DRAWING
from curvesieve.core.errors import InputError
from curvesieve.core.report.figure import INK, MUTED, draw, svg
from curvesieve.core.report.pages import Listing, Page, Report

if TYPE_CHECKING:
    from matplotlib.figure import Figure

SUFFIXES = {".html": "HTML", ".pdf": "PDF"}
STYLE = """
body { font: 14px/1.45 "Source Sans 3", sans-serif; color: #1f2a2b; margin: 2em auto; max-width: 60em; }
section { page-break-after: always; margin-bottom: 3em; }
h1 { font-size: 1.5em; margin: 0; } h2 { font-size: 1.05em; margin: 1.2em 0 0.3em; }
p.about { color: #6b7573; margin: 0; }
table { border-collapse: collapse; font-size: 0.9em; } td, th { padding: 2px 10px 2px 0; text-align: left; }
th { border-bottom: 1px solid #c9cfcc; color: #6b7573; font-weight: 600; } td { border-bottom: 1px solid #eceeea; }
ul { font-size: 0.85em; color: #6b7573; padding-left: 1.2em; } svg { max-width: 100%; height: auto; }
.wide { overflow-x: auto; } figure { margin: 1em 0; } figcaption { color: #6b7573; font-size: 0.9em; }
h3 { font-size: 0.95em; margin: 0.8em 0 0.2em; }
"""


def written(report: Report, suffix: str, watch: Callable[[float], None] | None = None) -> bytes:
    """A report as the content of a file of one of `SUFFIXES`; `watch` is told the share done and may raise to stop.

    Raises InputError for another suffix.
    """
    told = watch or (lambda share: None)
    if checked(suffix) == ".html":
        return _html(report, told).encode()
    return _pdf(report, told)


def checked(suffix: str) -> str:
    """The suffix of `SUFFIXES` that is meant; raises InputError for another one."""
    meant = ".html" if suffix.lower() == ".htm" else suffix.lower()
    if meant not in SUFFIXES:
        raise InputError(f"A report is written as {', '.join(SUFFIXES)}, not as {suffix or 'a file without a suffix'}.")
    return meant


def _html(report: Report, told: Callable[[float], None]) -> str:
    title = html.escape(report.title)
    parts = [f"<!DOCTYPE html>\n<html lang='en'><head><meta charset='utf-8'><title>{title}</title>"
             f"<style>{STYLE}</style></head><body>"]  # fmt: skip
    for place, page in enumerate(report.pages, 1):
        parts.append(f"<section><h1>{html.escape(page.title)}</h1><p class='about'>{html.escape(page.about)}</p>")
        parts.append(svg(page.curves))
        parts += [html_listing(listing) for listing in page.listings]
        notes = "".join(f"<li>{html.escape(note)}</li>" for note in page.notes)
        parts.append(f"<ul>{notes}</ul></section>" if notes else "</section>")
        told(place / len(report.pages))
    return "\n".join([*parts, "</body></html>\n"])


def html_listing(listing: Listing) -> str:
    """A table as HTML."""
    head, *rows = listing.rows
    top = "".join(f"<th>{html.escape(cell)}</th>" for cell in head)
    body = "".join("<tr>" + "".join(f"<td>{html.escape(c)}</td>" for c in row) + "</tr>" for row in rows)
    title = f"<h2>{html.escape(listing.title)}</h2>" if listing.title else ""
    return f"{title}<div class='wide'><table><tr>{top}</tr>{body}</table></div>"


# -- PDF ----------------------------------------------------------------------------------------------

_A4 = (8.27, 11.69)
_LEFT, _RIGHT, _TOP, _BOTTOM = 0.07, 0.95, 0.965, 0.03
_LINE, _SIZE, _SPACING = 0.0102, 6.5, 1.33
"""Height of a line of a table as a share of the page, its font in points; they go together by the line spacing."""
_LETTERS, _WIDEST = 148, 45
"""Letters that fit over the page, and into a cell."""


def _pdf(report: Report, told: Callable[[float], None]) -> bytes:
    from matplotlib import rc_context
    from matplotlib.backends.backend_pdf import PdfPages

    buffer = io.BytesIO()
    about: dict[str, str | None] = {"Title": report.title, "Creator": None, "Producer": None}
    with DRAWING, rc_context({"font.size": 8}), PdfPages(buffer, metadata=about) as pages:
        for place, page in enumerate(report.pages, 1):
            pages.savefig(_paper(page, f"{report.title} · {place} of {len(report.pages)}"))
            told(place / len(report.pages))
    return buffer.getvalue()


def _paper(page: Page, foot: str) -> Figure:
    """A page of A4: title, figure, tables, notes; what does not fit is counted at its end."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=_A4)
    figure.text(_LEFT, _TOP, page.title[:70], fontsize=14, color=INK, weight="bold", va="top")
    figure.text(_LEFT, _TOP - 0.022, page.about[:_LETTERS], fontsize=8, color=MUTED, va="top")
    draw(figure.add_axes((_LEFT + 0.035, 0.68, _RIGHT - _LEFT - 0.035, 0.24)), page.curves)
    at = 0.636
    for listing in page.listings:
        at = _put_listing(figure, listing, at)
    lines = [line for note in page.notes for line in textwrap.wrap(note, _LETTERS)]
    _put_lines(figure, lines, at)
    figure.text(_RIGHT, _BOTTOM - 0.012, foot[:_LETTERS], fontsize=_SIZE, color=MUTED, ha="right")
    return figure


def _put_lines(figure: Figure, lines: list[str], at: float) -> None:
    room = max(int((at - _BOTTOM) / _LINE), 0)
    if len(lines) > room:
        lines = [*lines[: max(room - 1, 0)], "… more in the HTML report"]
    figure.text(_LEFT, at, "\n".join(lines), fontsize=_SIZE, color=MUTED, va="top", linespacing=_SPACING)


def _put_listing(figure: Figure, listing: Listing, at: float) -> float:
    """A table from a height on; one that is wider than the page goes on below itself. Returns the height behind it."""
    blocks = columns_in_blocks(listing)
    if at - _BOTTOM < 5 * _LINE:
        _put_lines(figure, [f"{listing.title}: in the HTML report"], at)
        return at - _LINE
    figure.text(_LEFT, at, listing.title, fontsize=8.5, color=INK, weight="bold", va="top")
    at -= 1.35 * _LINE
    for columns in blocks:
        room = int((at - _BOTTOM) / _LINE) - 2
        if room < 3:
            _put_lines(figure, ["… more columns in the HTML report"], at)
            return at - _LINE
        head, *rows = listing.rows
        left = len(rows) - room
        rows = rows[:room] if left > 0 else rows
        widths = [cell_width(listing, c) for c in columns]
        place = _LEFT
        for column, width in zip(columns, widths, strict=True):
            figure.text(place, at, short(head[column]), fontsize=_SIZE, color=MUTED, va="top", weight="bold")
            texts = "\n".join(short(row[column]) or " " for row in rows)
            figure.text(place, at - _LINE, texts, fontsize=_SIZE, color=INK, va="top", linespacing=_SPACING)
            place += width * (_RIGHT - _LEFT) / max(sum(widths), _LETTERS)
        at -= (len(rows) + 1) * _LINE
        if left > 0:
            _put_lines(figure, [f"… {left} more rows in the HTML report"], at)
            return at - 1.5 * _LINE
        at -= _LINE / 2
    return at


def short(text: str, most: int = _WIDEST) -> str:
    """The text of a cell, cut where it is too long."""
    return text if len(text) <= most else text[: most - 1] + "…"


def cell_width(listing: Listing, column: int, most: int = _WIDEST) -> int:
    """The letters that a column takes."""
    return min(max(len(row[column]) for row in listing.rows), most) + 2


def columns_in_blocks(listing: Listing, letters: int = _LETTERS, most: int = _WIDEST) -> list[list[int]]:
    """The columns of a table in pieces of so many letters, the first column in each."""
    widths = [cell_width(listing, c, most) for c in range(len(listing.rows[0]))]
    blocks: list[list[int]] = [[0]]
    used = widths[0]
    for column in range(1, len(widths)):
        if used + widths[column] > letters and len(blocks[-1]) > 1:
            blocks.append([0])
            used = widths[0]
        blocks[-1].append(column)
        used += widths[column]
    return blocks
