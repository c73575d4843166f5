"""Drawings and pages as pictures: an SVG, or a page of a PDF, as the bytes of a PNG. Works in any thread."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt
from PyQt6.QtGui import QImage, QPainter

from curvesieve.core.errors import InputError

SHEETS = (".svg", ".pdf")
_WIDTH_PX, _DPI = 2000, 200
_MOST_PX = 8000


def is_sheet(name: str) -> bool:
    """Whether a file of that name is drawn before it is a picture."""
    return Path(name).suffix.lower() in SHEETS


def pages_of(content: bytes, name: str) -> int:
    """How many pages a file has: 1 for a drawing. Raises InputError for a PDF that cannot be read."""
    if not name.lower().endswith(".pdf"):
        return 1
    from PyQt6.QtPdf import QPdfDocument

    document, buffer = _pdf(content, name)
    count = int(document.pageCount())
    document.close()
    buffer.close()
    assert isinstance(document, QPdfDocument)
    return count


def drawn(content: bytes, name: str, page: int = 1) -> bytes:
    """The bytes of a PNG of a drawing, or of a page from 1 on, on white.

    Raises InputError for what is no drawing or document, and for a page that is not there.
    """
    return png_of(_svg(content, name) if name.lower().endswith(".svg") else _page(content, name, page))


def png_of(image: QImage) -> bytes:
    """The bytes of a PNG of an image."""
    out = QBuffer()
    out.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(out, "PNG")
    return out.data().data()


def _svg(content: bytes, name: str) -> QImage:
    from PyQt6.QtSvg import QSvgRenderer

    renderer = QSvgRenderer(QByteArray(content))
    size = renderer.defaultSize()
    if not renderer.isValid() or size.isEmpty():
        raise InputError(f"{name} is no drawing that can be read.")
    size = size.scaled(_WIDTH_PX, _MOST_PX, Qt.AspectRatioMode.KeepAspectRatio)
    image = QImage(size, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    renderer.render(painter)
    painter.end()
    return image


def _pdf(content: bytes, name: str):  # type: ignore[no-untyped-def]  # QtPdf is loaded when it is needed
    from PyQt6.QtPdf import QPdfDocument

    buffer = QBuffer()
    buffer.setData(QByteArray(content))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    document = QPdfDocument(None)
    document.load(buffer)
    if document.status() != QPdfDocument.Status.Ready or document.pageCount() == 0:
        raise InputError(f"{name} is no PDF that can be read; it may be damaged or locked by a password.")
    return document, buffer


def _page(content: bytes, name: str, page: int) -> QImage:
    document, buffer = _pdf(content, name)
    if not 1 <= page <= document.pageCount():
        raise InputError(f"{name} has {document.pageCount()} pages; there is no page {page}.")
    points = document.pagePointSize(page - 1)
    scale = min(_DPI / 72, _MOST_PX / max(points.width(), points.height(), 1.0))
    size = QSize(round(points.width() * scale), round(points.height() * scale))
    shown = document.render(page - 1, size)
    image = QImage(size, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    painter.drawImage(0, 0, shown)
    painter.end()
    document.close()
    buffer.close()
    return image
