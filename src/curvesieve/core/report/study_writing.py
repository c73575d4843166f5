"""Reports of studies as HTML with their figures inside, and as PDF of A4 pages with figures as they print."""

from __future__ import annotations

import html
import io
import textwrap
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from curvesieve.core.drawing import DRAWING
from curvesieve.core.figures.fonts import SHIPPED, families, settings
from curvesieve.core.figures.writing import written as figure_written
from curvesieve.core.report.blocks import Block, Drawing, Heading, Paragraph, Points, StudyReport
from curvesieve.core.report.pages import Listing
from curvesieve.core.report.writing import STYLE, cell_width, checked, columns_in_blocks, html_listing, short
from curvesieve.core.study.figure_parts import FigureSpec, Manner

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_FONT = "Source Sans 3"
_BOLD = SHIPPED / "SourceSans3-SemiBold.ttf"


def study_report_written(report: StudyReport, suffix: str, watch: Callable[[float], None] | None = None) -> bytes:
    """A report as the content of an HTML or PDF file; `watch` is told the share done and may raise to stop.

    Raises InputError for another suffix.
    """
    told = watch or (lambda share: None)
    if checked(suffix) == ".html":
        return _html(report, told).encode()
    return _pdf(report, told)


def _html(report: StudyReport, told: Callable[[float], None]) -> str:
    title = html.escape(report.title)
    parts = [f"<!DOCTYPE html>\n<html lang='en'><head><meta charset='utf-8'><title>{title}</title>"
             f"<style>{STYLE}</style></head><body>"]  # fmt: skip
    for place, block in enumerate(report.blocks, 1):
        parts.append(_html_block(report, block))
        told(place / len(report.blocks))
    return "\n".join([*parts, "</body></html>\n"])


def _html_block(report: StudyReport, block: Block) -> str:
    match block:
        case Heading(text, level):
            return f"<h{level}>{html.escape(text)}</h{level}>"
        case Paragraph(text):
            return f"<p>{html.escape(text)}</p>"
        case Points(items):
            return f"<ul>{''.join(f'<li>{html.escape(one)}</li>' for one in items)}</ul>"
        case Drawing(spec, caption):
            svg = figure_written(report.study, spec, ".svg", words_as_paths=True).decode()
            inside = svg[svg.index("<svg") :]
            return f"<figure>{inside}<figcaption>{html.escape(caption)}</figcaption></figure>"
        case Listing():
            return html_listing(block)


# -- PDF ----------------------------------------------------------------------------------------------

_WIDTH, _HEIGHT, _MARGIN, _FOOT = 210.0, 297.0, 18.0, 16.0
"""A4 in mm."""
_SIZES = {1: 16.0, 2: 11.5, 3: 9.5}
_TEXT, _TABLE = 9.0, 7.0
_PT_MM, _LEADING, _EM = 25.4 / 72, 1.38, 0.46
"""A point in mm; the distance of lines in sizes of the font; the width of a letter in sizes, about."""
_LETTERS, _CELL = 140, 66
"""Letters of a table that fit over the page, and into a cell: a hash is whole."""


@dataclass(eq=False)
class _Flow:
    """Puts one thing below another, on as many pages as it takes. `figures` are to be laid onto the pages."""

    pages: list[Figure] = field(default_factory=list)
    figures: list[tuple[int, float, float, float, FigureSpec]] = field(default_factory=list)
    at: float = 0.0

    def page(self) -> Figure:
        """Begins another page."""
        from matplotlib.figure import Figure

        made = Figure(figsize=(_WIDTH / 25.4, _HEIGHT / 25.4))
        self.pages.append(made)
        self.at = _HEIGHT - _MARGIN
        return made

    def need(self, height: float) -> None:
        """Goes to the next page where there is not so much room left."""
        if not self.pages or self.at - height < _FOOT:
            self.page()

    def words(self, text: str, size: float, *, bold: bool = False, indent: float = 0.0, gap: float = 1.5) -> None:
        """Words in lines, over the page's end where they must."""
        letters = int((_WIDTH - 2 * _MARGIN - indent) / (size * _PT_MM * _EM * (1.08 if bold else 1.0)))
        line = size * _PT_MM * _LEADING
        for one in textwrap.wrap(text, letters) or [""]:
            self.need(line)
            self.put(_MARGIN + indent, one, size, bold)
            self.at -= line
        self.at -= gap

    def put(self, x: float, text: str, size: float, bold: bool = False, colour: str = "#1f2a2b") -> None:
        """A line of words at a place of the page in hand."""
        more: dict[str, Any] = {"font": _BOLD} if bold else {}
        more["fontsize"] = size
        self.pages[-1].text(x / _WIDTH, self.at / _HEIGHT, text, va="top", color=colour, parse_math=False, **more)

    def table(self, listing: Listing) -> None:
        """A table, its head again on each page; one that is too wide goes on below itself."""
        line = _TABLE * _PT_MM * _LEADING
        self.need(5 * line)
        if listing.title:
            self.put(_MARGIN, listing.title, _TEXT, bold=True)
            self.at -= _TEXT * _PT_MM * _LEADING
        head, *rows = listing.rows
        for columns in columns_in_blocks(listing, _LETTERS, _CELL):
            widths = [cell_width(listing, column, _CELL) for column in columns]
            scale = (_WIDTH - 2 * _MARGIN) / max(sum(widths), _LETTERS)
            self.need(3 * line)
            self._row(columns, widths, scale, head, head=True)
            for row in rows:
                if self.at - line < _FOOT:
                    self.page()
                    self._row(columns, widths, scale, head, head=True)
                self._row(columns, widths, scale, row)
            self.at -= line / 2
        self.at -= 1.5

    def _row(
        self, columns: Sequence[int], widths: Sequence[int], scale: float, row: Sequence[str], head: bool = False
    ) -> None:
        x = _MARGIN
        for column, width in zip(columns, widths, strict=True):
            self.put(x, short(row[column], _CELL), _TABLE, head, "#6b7573" if head else "#1f2a2b")
            x += width * scale
        self.at -= _TABLE * _PT_MM * _LEADING

    def figure(self, spec: FigureSpec, caption: str) -> None:
        """A figure at its own size, smaller where the page is, with its caption below."""
        room = _WIDTH - 2 * _MARGIN
        scale = min(1.0, room / spec.width, (_HEIGHT - _MARGIN - _FOOT - 12) / spec.height)
        self.need(spec.height * scale + 8)
        self.figures.append((len(self.pages) - 1, _MARGIN, self.at - spec.height * scale, scale, spec))
        self.at -= spec.height * scale + 1.5
        self.words(caption, _TEXT, gap=4.0)


def _pdf(report: StudyReport, told: Callable[[float], None]) -> bytes:
    from matplotlib import rc_context
    from matplotlib.backends.backend_pdf import PdfPages

    flow = _Flow()
    families()
    rc: Any = {**settings(Manner(), _FONT), "pdf.fonttype": 42}
    about: dict[str, str | None] = {"Title": report.title, "Creator": "Curve Sieve", "Producer": None}
    buffer = io.BytesIO()
    with DRAWING, rc_context(rc):
        for block in report.blocks:
            _flow_block(flow, block)
        with PdfPages(buffer, metadata=about) as pages:
            for number, page in enumerate(flow.pages, 1):
                page.text(
                    1 - _MARGIN / _WIDTH, 8 / _HEIGHT, f"{report.title[:80]} · {number} of {len(flow.pages)}",
                    fontsize=_TABLE, color="#6b7573", ha="right", parse_math=False,
                )  # fmt: skip
                pages.savefig(page)
                told(0.5 * number / len(flow.pages))
    return _with_figures(buffer.getvalue(), report, flow, told)


def _flow_block(flow: _Flow, block: Block) -> None:
    match block:
        case Heading(text, level):
            size = _SIZES[level]
            flow.need(4 * size * _PT_MM * _LEADING)
            flow.words(text, size, bold=True)
        case Paragraph(text):
            flow.words(text, _TEXT)
        case Points(items):
            for one in items:
                flow.words(f"• {one}", _TEXT - 1, indent=3.0, gap=0.6)
            flow.at -= 1.5
        case Drawing(spec, caption):
            flow.figure(spec, caption)
        case Listing():
            flow.table(block)


def _with_figures(data: bytes, report: StudyReport, flow: _Flow, told: Callable[[float], None]) -> bytes:
    """The pages with the figures laid onto them, as lines with their own fonts."""
    if not flow.figures:
        return data
    from pypdf import PdfReader, PdfWriter, Transformation

    writer = PdfWriter(clone_from=PdfReader(io.BytesIO(data)))
    mm = 72 / 25.4
    for number, (page, x, y, scale, spec) in enumerate(flow.figures, 1):
        drawn = PdfReader(io.BytesIO(figure_written(report.study, spec, ".pdf"))).pages[0]
        place = Transformation().scale(scale).translate(x * mm, y * mm)
        writer.pages[page].merge_transformed_page(drawn, place)
        told(0.5 + 0.5 * number / len(flow.figures))
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()
