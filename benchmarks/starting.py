"""Cold start to the first painted window with the demo, against a bare PyQt6 + pyqtgraph window; fresh processes."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile

from benchmarks.timing import Row, against, at_most

_PAINTED = """
from PyQt6.QtCore import QEvent, QObject
class Seen(QObject):
    painted = False
    def eventFilter(self, watched, event):
        if event.type() == QEvent.Type.Paint:
            self.painted = True
        return False
seen = Seen()
"""
_OURS = """
from curvesieve.app.main import make_application, make_window
app = make_application()
window = make_window(demo=True)
plot = window.curve_bench.canvas.plot.viewport()
"""
_BARE = """
import pyqtgraph as pg
from PyQt6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow()
widget = pg.PlotWidget()
widget.plot([1, 2, 3], [1, 3, 2])
window.setCentralWidget(widget)
window.resize(1280, 800)
plot = widget.viewport()
"""
_WAIT = """
plot.installEventFilter(seen)
window.show()
while not seen.painted:
    app.processEvents()
app.processEvents()
import os
os._exit(0)
"""


def rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as data:
        environment = os.environ | {"XDG_DATA_HOME": data}

        def start(code: str):
            program = code + _PAINTED + _WAIT
            return lambda: subprocess.run([sys.executable, "-c", program], env=environment, check=True)

        pair = against(start(_OURS), start(_BARE), 9)
    return [
        at_most("cold start to the first painted window, with the demo", "bare PyQt6 + pyqtgraph window", pair, 2.5)
    ]
