"""How large the window is: as it was, and never larger than the screen that is there."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QWidget

_REFERENCE = QSize(1280, 800)
_SHARE = 0.8
"""Of a large screen's width and height, where nothing is remembered."""
_FRAME_PX = (4, 34)
"""Room for the frame and the title bar, which are known only when the window is shown."""


def fit_to_screen(window: QWidget, remembered: QSize | None) -> None:
    """Resizes the window before it is shown; frame and title bar stay on the screen, too."""
    screen = window.screen()
    if screen is None:
        window.resize(remembered or _REFERENCE)
        return
    free = screen.availableGeometry().size()
    wanted = remembered or QSize(
        max(_REFERENCE.width(), round(_SHARE * free.width())), max(_REFERENCE.height(), round(_SHARE * free.height()))
    )
    most = QSize(free.width() - _FRAME_PX[0], free.height() - _FRAME_PX[1])
    window.setMinimumSize(window.minimumSize().boundedTo(most))
    window.resize(wanted.boundedTo(most))
