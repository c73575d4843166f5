"""The numbers of a figure in columns: for the CSV beside it, and for the script that draws it from there."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from curvesieve.core.curve import Floats
from curvesieve.core.figures.content import Drawn, Shown
from curvesieve.core.figures.fields import in_columns
from curvesieve.core.figures.pen import Numbers
from curvesieve.core.shapes import Fill, Line


class Columns:
    """Columns of numbers by names of their own, in the order in which they came."""

    def __init__(self) -> None:
        self.values: dict[str, Floats] = {}

    def add(self, name: str, values: Floats) -> Numbers:
        """A column more, of shape (n,); a name that is taken gets a number."""
        own, count = name, 1
        while own in self.values:
            count += 1
            own = f"{name} #{count}"
        self.values[own] = values
        return Numbers(f"d[{own!r}]", values)

    def csv(self) -> str:
        """All columns side by side, all digits; shorter ones end in empty cells."""
        columns = [[name, *map(repr, values.tolist())] for name, values in self.values.items()]
        longest = max((len(one) for one in columns), default=0)
        buffer = io.StringIO()
        rows = zip(*(one + [""] * (longest - len(one)) for one in columns), strict=True)
        csv.writer(buffer, lineterminator="\n").writerows(rows)
        return buffer.getvalue()


LinesData = dict[tuple[int, str], tuple[Numbers, Numbers, Numbers | None]]
"""x, y and u of each line, and x, y and z of each field, by the panel's number and the id."""
ShapesData = dict[int, list[tuple[Numbers, ...]]]
"""The numbers of each construction that has some, by the panel's number, in their order."""


def columns_of(panels: Sequence[Shown]) -> tuple[Columns, LinesData, ShapesData]:
    """Everything that is drawn from numbers, as columns: x, y and u of each line, and the constructions."""
    columns = Columns()
    lines: LinesData = {}
    shapes: ShapesData = {}
    for place, panel in enumerate(panels):
        for line in panel.lines:
            lines[place, line.id] = _line(columns, place, panel, line)
        for one in panel.fields:
            name = f"panel {place + 1}, {one.label}"
            x, y, z = in_columns(one)
            lines[place, one.id] = (
                columns.add(f"{name}: {panel.x.words or 'x'}", x),
                columns.add(f"{name}: {panel.y.words or 'y'}", y),
                columns.add(f"{name}: {one.words}", z),
            )
        shapes[place] = []
        for number, shape in enumerate((one for group in panel.shapes for one in group), 1):
            name = f"panel {place + 1}, construction {number}"
            if isinstance(shape, Line):
                shapes[place].append((columns.add(f"{name}: x", shape.x), columns.add(f"{name}: y", shape.y)))
            elif isinstance(shape, Fill):
                shapes[place].append(tuple(
                    columns.add(f"{name}: {what}", values)
                    for what, values in (("x", shape.x), ("low", shape.low), ("high", shape.high))
                ))  # fmt: skip
    return columns, lines, shapes


def _line(columns: Columns, place: int, panel: Shown, line: Drawn) -> tuple[Numbers, Numbers, Numbers | None]:
    name = f"panel {place + 1}, {line.label}"
    y = panel.right if line.right else panel.y
    more = f", {line.lifted}" if line.lifted else ""
    return (
        columns.add(f"{name}: {panel.x.words or 'x'}", line.x),
        columns.add(f"{name}: {y.words or 'y'}{more}", line.y),
        None if line.u is None else columns.add(f"{name}: u", line.u),
    )


def data_csv(panels: Sequence[Shown]) -> str:
    """All that is drawn from numbers, a column each; all digits."""
    return columns_of(panels)[0].csv()
