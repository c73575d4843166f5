"""Fonts and the style sheet."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from curvesieve.app.theme import tokens

_FONTS = Path(__file__).parents[2] / "fonts"
SANS, MONO = "Source Sans 3", "JetBrains Mono"
BODY_PX, SMALL_PX = 15, 13


def load_fonts() -> None:
    """Makes the shipped fonts known to Qt."""
    for path in sorted(_FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


def font(pixels: int = BODY_PX, bold: bool = False) -> QFont:
    """The sans font, with figures of equal width so that columns of numbers stand straight."""
    made = QFont(SANS)
    made.setPixelSize(pixels)
    made.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    if hasattr(made, "setFeature"):  # Qt 6.7 and later; the font's default figures are of equal width, too
        made.setFeature(QFont.Tag("tnum"), 1)
    return made


def mono(pixels: int = SMALL_PX) -> QFont:
    """The font of formulas and file texts."""
    made = QFont(MONO)
    made.setPixelSize(pixels)
    return made


def apply_theme(app: QApplication, scheme: str = "", sheet: bool = True) -> None:
    """Styles the application in ``light`` or ``dark``; empty follows the system.

    Without the `sheet`, colours and font are there; `apply_sheet` adds the rest. A window that is made first and styled
    then is styled once, and not again each time that a part of it is put into another.
    """
    hints = app.styleHints()
    dark = scheme == "dark" or (not scheme and hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark)
    tokens.use(tokens.DARK if dark else tokens.LIGHT)
    app.setFont(font())
    qt_palette = QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, "paper"), (QPalette.ColorRole.WindowText, "ink"), (QPalette.ColorRole.Base, "card"),
        (QPalette.ColorRole.AlternateBase, "sunk"), (QPalette.ColorRole.Text, "ink"),
        (QPalette.ColorRole.Button, "card"),
        (QPalette.ColorRole.ButtonText, "ink"), (QPalette.ColorRole.Highlight, "verdigris"),
        (QPalette.ColorRole.HighlightedText, "on_verdigris"), (QPalette.ColorRole.PlaceholderText, "muted"),
        (QPalette.ColorRole.ToolTipBase, "card"), (QPalette.ColorRole.ToolTipText, "ink"),
    ):  # fmt: skip
        qt_palette.setColor(role, tokens.colour(name))
    app.setPalette(qt_palette)
    if sheet:
        apply_sheet(app)


def apply_sheet(app: QApplication) -> None:
    """The style sheet of the scheme in use."""
    app.setStyleSheet(_sheet(tokens.palette()))


def _sheet(p: tokens.Palette) -> str:
    return f"""
* {{ color: {p.ink}; }}
QMainWindow, QWidget#bench, QScrollArea, QScrollArea > QWidget > QWidget {{ background: {p.paper}; border: none; }}
QToolTip {{ background: {p.card}; color: {p.ink}; border: 1px solid {p.line}; padding: 4px; }}
QLabel {{ background: transparent; }}
QLabel[role="section"] {{ color: {p.muted}; font-size: 12px; font-weight: 600; letter-spacing: 1px; }}
QLabel[role="muted"] {{ color: {p.muted}; font-size: 13px; }}
QLabel[role="note"] {{ font-size: 13px; }}
QLabel[role="strong"] {{ font-weight: 600; }}
QLabel[role="reading"] {{ color: {p.verdigris}; font-weight: 600; }}
QLabel[role="caught"] {{ color: {p.rust}; font-size: 13px; }}
QLabel[role="model"] {{ color: {p.violet}; font-family: "{MONO}"; font-size: 13px; }}
QLabel[role="problem"] {{ color: {p.rust}; font-size: 13px; font-weight: 600; }}

QWidget#header {{ background: {p.header}; }}
QWidget#header QLabel {{ color: {p.header_muted}; }}
QWidget#header QLabel#brand {{ color: {p.header_ink}; font-weight: 600; }}
QWidget#header QPushButton {{ background: transparent; color: {p.header_ink}; border: none; border-radius: 14px;
  padding: 4px 18px; min-height: 20px; }}
QWidget#header QPushButton[bench="true"] {{ min-width: 60px; }}
QWidget#header QPushButton[narrow="true"] {{ min-width: 46px; padding: 4px 9px; }}
QWidget#header QPushButton[narrow="true"]:focus {{ padding: 3px 8px; }}
QWidget#header QPushButton[small="true"] {{ padding: 4px 8px; border-radius: 5px; color: {p.header_muted}; }}
QWidget#header QPushButton[small="true"]:hover {{ color: {p.header_ink}; }}
QWidget#header QPushButton[small="true"]:disabled {{ color: rgba(255, 255, 255, 60); }}
QWidget#header QPushButton:hover {{ background: rgba(255, 255, 255, 26); }}
QWidget#header QPushButton:checked {{ background: {p.straw}; color: #22302F; }}
QWidget#header QPushButton#finder {{ color: {p.header_muted}; }}
QWidget#header QPushButton:focus {{ border: 1px solid {p.straw}; padding: 3px 17px; }}
QWidget#header QPushButton[small="true"]:focus {{ border: 1px solid {p.straw}; padding: 3px 7px; }}

QPushButton {{ background: {p.card}; border: 1px solid {p.line}; border-radius: 5px; padding: 4px 12px; }}
QPushButton:hover {{ background: {p.hover}; }}
QPushButton:focus {{ border-color: {p.verdigris}; }}
QPushButton:disabled {{ color: {p.muted}; background: {p.paper}; }}
QPushButton[kind="act"] {{ background: {p.verdigris}; color: {p.on_verdigris}; border-color: {p.verdigris};
  font-weight: 600; }}
QPushButton[kind="act"]:disabled {{ background: {p.line}; color: {p.muted}; border-color: {p.line}; }}
QPushButton[kind="bare"] {{ background: transparent; border: none; color: {p.muted}; padding: 0 5px; }}
QPushButton[kind="bare"][small="true"] {{ font-size: 13px; text-align: left; padding: 0; }}
QPushButton[kind="bare"]:checked {{ color: {p.verdigris}; }}
QPushButton[kind="bare"]:hover {{ color: {p.ink}; background: {p.hover}; }}
QPushButton[kind="fold"] {{ background: transparent; border: 1px solid transparent; color: {p.muted}; font-size: 12px;
  font-weight: 600; letter-spacing: 1px; text-align: left; padding: 1px 3px; }}
QPushButton[kind="fold"]:hover {{ color: {p.ink}; background: {p.hover}; }}
QPushButton[kind="fold"]:focus {{ border-color: {p.verdigris}; }}
QPushButton[kind="bare"]:focus {{ border: 1px solid {p.verdigris}; }}
QPushButton[kind="drop"] {{ background: transparent; border: 2px dashed {p.ghost}; border-radius: 8px;
  color: {p.muted}; padding: 10px; }}
QPushButton[kind="drop"]:hover {{ border-color: {p.verdigris}; color: {p.verdigris}; }}

QLineEdit, QComboBox {{ background: {p.sunk}; border: 1px solid {p.line}; border-radius: 5px; padding: 3px 7px;
  selection-background-color: {p.verdigris}; selection-color: {p.on_verdigris}; }}
QLineEdit[flat="true"] {{ background: transparent; border: 1px solid transparent; font-weight: 600;
  padding: 0 5px; }}
QLineEdit[flat="true"]:hover {{ border-color: {p.line}; }}
QLineEdit[formula="true"] {{ color: {p.violet}; font-family: "{MONO}"; font-size: 13px; }}
QPlainTextEdit[formula="true"] {{ color: {p.violet}; background: {p.sunk}; border: 1px solid {p.line};
  border-radius: 5px; padding: 1px 3px; }}
QPlainTextEdit[formula="true"]:focus {{ border-color: {p.verdigris}; }}
QPushButton[kind="choice"] {{ background: {p.sunk}; text-align: left; padding: 3px 7px; }}
QSlider::groove:horizontal {{ height: 4px; background: {p.line}; border-radius: 2px; }}
QSlider::handle:horizontal {{ background: {p.verdigris}; width: 14px; margin: -6px 0; border-radius: 7px; }}
QSlider::handle:horizontal:disabled {{ background: {p.ghost}; }}
QComboBox[small="true"] {{ padding: 0 7px; font-size: 13px; }}
QLabel[role="badge"] {{ background: {p.verdigris}; color: {p.on_verdigris}; border-radius: 4px; font-weight: 600; }}
QPushButton[kind="tab"] {{ padding: 3px 10px; color: {p.muted}; }}
QPushButton[kind="tab"][small="true"] {{ padding: 3px 6px; }}
QPushButton[kind="tab"]:checked {{ background: {p.tint}; color: {p.ink}; border-color: {p.verdigris}; }}
QLineEdit:focus, QComboBox:focus {{ border-color: {p.verdigris}; }}
QLineEdit[wrong="true"] {{ border-color: {p.rust}; }}
QComboBox::drop-down {{ border: none; width: 18px; }}
QComboBox::down-arrow {{ image: none; border: none; width: 0; height: 0; }}
QComboBox QAbstractItemView, QMenu {{ background: {p.card}; border: 1px solid {p.line}; padding: 3px;
  selection-background-color: {p.tint}; selection-color: {p.ink}; }}
QMenu::item {{ padding: 5px 22px; border-radius: 4px; }}
QMenu::item:selected {{ background: {p.tint}; }}
QMenu::item:disabled {{ color: {p.muted}; }}
QMenu::separator {{ height: 1px; background: {p.line}; margin: 4px 8px; }}

QFrame[card="true"] {{ background: {p.card}; border: 1px solid {p.line}; border-radius: 6px; }}
QFrame[card="true"][inhand="true"] {{ border: 1px solid {p.verdigris}; border-left: 4px solid {p.verdigris}; }}
QFrame[card="true"]:focus {{ border: 1px solid {p.verdigris}; background: {p.tint}; }}
QAbstractItemView:focus {{ border: 1px solid {p.verdigris}; }}
QListView#shelf:focus {{ border: none; }}
QFrame#notice {{ background: {p.card}; border: 1px solid {p.muted}; border-radius: 6px; }}
QFrame#notice[kind="problem"] {{ border-left: 5px solid {p.rust}; }}
QFrame#notice[kind="word"] {{ border-left: 5px solid {p.verdigris}; }}
QFrame#popup {{ background: {p.card}; border: 1px solid {p.verdigris}; border-radius: 8px; }}

QAbstractItemView {{ background: {p.card}; border: 1px solid {p.line}; outline: none; gridline-color: {p.line};
  selection-background-color: {p.tint}; selection-color: {p.ink}; }}
QListView#shelf {{ background: {p.paper}; border: none; }}
QHeaderView::section {{ background: {p.paper}; color: {p.muted}; border: none; border-right: 1px solid {p.line};
  border-bottom: 1px solid {p.line}; padding: 4px 6px; font-size: 13px; }}
QTableView::indicator {{ width: 13px; height: 13px; border: 1px solid {p.ghost}; border-radius: 2px;
  background: {p.sunk}; }}
QTableView::indicator:checked {{ background: {p.verdigris}; border-color: {p.verdigris}; }}
QTreeWidget::item {{ padding: 2px 4px; }}
QTableView::item {{ padding: 0 6px; }}
QTableCornerButton::section {{ background: {p.paper}; border: none; }}
QSplitter::handle {{ background: transparent; }}
QWidget#status {{ background: {p.paper}; border-top: 1px solid {p.line}; }}
QWidget#status QLabel {{ color: {p.muted}; font-size: 13px; }}

QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 9px; margin: 0; }}
QScrollBar::handle {{ background: {p.ghost}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
"""
