"""Which lines of a figure some eyes, or a grey print, cannot tell apart."""

from __future__ import annotations

from collections.abc import Sequence

from curvesieve.core.figures.colours import Eyes, alike
from curvesieve.core.figures.content import Shown
from curvesieve.core.figures.lines import style_of
from curvesieve.core.study.figure_parts import FigureSpec

_TOLD = 3


def confused(spec: FigureSpec, panels: Sequence[Shown], eyes: Eyes) -> list[str]:
    """A sentence for each panel in which lines of like dash and mark have colours that these eyes see alike.

    Lines that are lifted apart are told as well: their names are looked up by colour, too.
    """
    said = []
    for place, (panel, shown) in enumerate(zip(spec.panels, panels, strict=True)):
        styles = [(line, style_of(panel, spec.manner, line, number)) for number, line in enumerate(shown.lines)]
        pairs = [
            (styles[a][0].label, styles[b][0].label)
            for a, b in alike([style.colour for _, style in styles], eyes)
            if (styles[a][1].dash, styles[a][1].mark) == (styles[b][1].dash, styles[b][1].mark)
            and styles[a][0].role == styles[b][0].role
        ]
        if pairs:
            named = "; ".join(f"{one} and {other}" for one, other in pairs[:_TOLD])
            more = f" and {len(pairs) - _TOLD} pairs more" if len(pairs) > _TOLD else ""
            said.append(f"Panel {chr(65 + place % 26)}, {eyes}: hard to tell apart are {named}{more}.")
    return said
