"""A formula typeset as in a book, in the colour of the model."""

from __future__ import annotations

from collections import OrderedDict

from PyQt6.QtCore import QObject, QRunnable, QSize, Qt, QThreadPool, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from curvesieve.app.theme.tokens import colour
from curvesieve.core.drawing import DRAWING, bring_fonts

_SIZE_PX, _GAP_PX = 16.0, 7.0
_SMALLEST = 0.62
"""Formulas that are too wide are made smaller down to this, then cut."""
_KEPT, _AGAIN_MS = 64, 60


class _Paths:
    """Outlines of LaTeX mathematics, kept by text. Matplotlib is loaded when the first is asked for."""

    def __init__(self) -> None:
        self._made: OrderedDict[str, QPainterPath] = OrderedDict()

    def of(self, text: str) -> QPainterPath:
        """The outline, baseline at y = 0, downwards positive; empty when the text cannot be set."""
        if text not in self._made:
            self._made[text] = _outline(text)
            while len(self._made) > _KEPT:
                self._made.popitem(last=False)
        return self._made[text]


def _outline(text: str) -> QPainterPath:
    from matplotlib.font_manager import FontProperties
    from matplotlib.path import Path
    from matplotlib.textpath import TextPath

    bring_fonts()
    made = QPainterPath()
    try:
        large = text.replace(r"\frac", r"\dfrac")  # fractions as tall as in a displayed formula
        font = FontProperties(math_fontfamily="stixsans")
        path = TextPath((0, 0), f"${large}$", size=_SIZE_PX, prop=font)
    except (ValueError, RuntimeError):  # mathematics it cannot set
        return made
    points = iter(zip(path.vertices.tolist(), [] if path.codes is None else path.codes.tolist(), strict=True))
    for (x, y), code in points:
        if code == Path.MOVETO:
            made.moveTo(x, -y)
        elif code == Path.LINETO:
            made.lineTo(x, -y)
        elif code == Path.CURVE3:
            (x2, y2), _ = next(points)
            made.quadTo(x, -y, x2, -y2)
        elif code == Path.CURVE4:
            (x2, y2), _ = next(points)
            (x3, y3), _ = next(points)
            made.cubicTo(x, -y, x2, -y2, x3, -y3)
        else:
            made.closeSubpath()
    return made


_paths = _Paths()
_ready = False


class _Warmer(QObject):
    warm = pyqtSignal()


class _WarmUp(QRunnable):
    """Loads the library off the GUI thread: its first use looks through the machine's fonts."""

    def __init__(self, warmer: _Warmer) -> None:
        super().__init__()
        self.warmer = warmer

    def run(self) -> None:
        with DRAWING:
            _outline("x")
        self.warmer.warm.emit()


class Typeset(QWidget):
    """Shows lines of LaTeX mathematics. `text` is what is shown, for tests and for those who cannot see it."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: tuple[str, ...] = ()
        self._made: list[QPainterPath] = []
        self._warmer: _Warmer | None = None
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.hide()

    @property
    def text(self) -> str:
        return "\n".join(self.lines)

    @property
    def is_set(self) -> bool:
        """Whether there is an outline for every line."""
        return bool(self._made) and all(not path.isEmpty() for path in self._made)

    def set(self, lines: tuple[str, ...]) -> None:
        """Other lines; none hides the widget."""
        self.lines = lines
        self.setAccessibleName(self.text)
        self.setToolTip(self.text)
        if _ready:
            self._render()
        elif lines and self._warmer is None:
            self._warmer = _Warmer(self)
            self._warmer.warm.connect(self._warmed)
            pool = QThreadPool.globalInstance()
            assert pool is not None
            pool.start(_WarmUp(self._warmer))

    def _warmed(self) -> None:
        global _ready
        _ready = True
        self._render()

    def _render(self) -> None:
        if not DRAWING.acquire(blocking=False):  # a page is being drawn with settings of its own: in a moment
            QTimer.singleShot(_AGAIN_MS, self._render)
            return
        try:
            self._made = [_paths.of(line) for line in self.lines]
        finally:
            DRAWING.release()
        self.setVisible(self.is_set)
        self.updateGeometry()
        self.update()

    def _scale(self) -> float:
        widest = max((path.boundingRect().right() for path in self._made), default=1.0)
        return min(1.0, max(_SMALLEST, (self.width() - 6) / max(widest, 1.0)))

    def sizeHint(self) -> QSize:
        height = sum(path.boundingRect().height() + _GAP_PX for path in self._made)
        return QSize(100, int(height * (self._scale() if self.width() > 20 else 1.0)) + 4)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self.updateGeometry()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("violet"))
        scale = self._scale()
        painter.scale(scale, scale)
        top = 2.0
        for path in self._made:
            box = path.boundingRect()
            painter.drawPath(path.translated(2.0 - min(box.left(), 0.0), top - box.top()))
            top += box.height() + _GAP_PX
        painter.end()
