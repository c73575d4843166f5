"""The look, in one place: colours, fonts, and the style sheet made of them."""

from curvesieve.app.theme.style import apply_sheet, apply_theme, font, load_fonts, mono
from curvesieve.app.theme.tokens import DARK, LIGHT, Palette, family_colours, palette

__all__ = [
    "DARK",
    "LIGHT",
    "Palette",
    "apply_sheet",
    "apply_theme",
    "family_colours",
    "font",
    "load_fonts",
    "mono",
    "palette",
]
