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
import gc
gc.disable()
from curvesieve.app.shell.main import make_application, start
app = make_application(sheet=False)
window = start(app, demo={demo})
plot = window.curve_bench.canvas.{seen}
"""
_FRAME = """
import gc
gc.disable()
from curvesieve.app.shell.frame import Frame
from curvesieve.app.shell.main import make_application
app = make_application(sheet=False)
window = plot = Frame("Opening …")
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
    """Starts of fresh processes whose bytecode is there already, as after any first start."""
    with tempfile.TemporaryDirectory() as folder:
        environment = os.environ | {
            "XDG_DATA_HOME": folder, "XDG_STATE_HOME": folder, "PYTHONPYCACHEPREFIX": f"{folder}/bytecode",
            "PYTHONDONTWRITEBYTECODE": "",
        }  # fmt: skip

        def begin(code: str):
            program = code + _PAINTED + _WAIT
            return lambda: subprocess.run([sys.executable, "-c", program], env=environment, check=True)

        bare = begin(_BARE)
        with_demo = against(begin(_OURS.format(demo=True, seen="plot.viewport()")), bare, 9)
        empty = against(begin(_OURS.format(demo=False, seen="empty")), bare, 9)
        frame = against(begin(_FRAME), bare, 9)
    reference = "bare PyQt6 + pyqtgraph window"
    return [
        at_most("cold start to the first painted window, with the demo", reference, with_demo, 2.0),
        at_most("cold start to the painted window without a study", reference, empty, 2.0),
        at_most("cold start to the painted frame of the window", reference, frame, 1.3),
    ]
