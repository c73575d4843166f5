"""One panel of a page, drawn: first its lines, and when the limits of all panels are final, all that stands on them."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import partial

from curvesieve.core.figures.axes import draw_axis, draw_cut, draw_frame, set_limits, set_scale
from curvesieve.core.figures.content import Shown, Title
from curvesieve.core.figures.data import LinesData, ShapesData
from curvesieve.core.figures.fields import draw_field
from curvesieve.core.figures.lines import Named, draw_line, draw_names, draw_shapes, style_of
from curvesieve.core.figures.marks import draw_marks, inset_limits
from curvesieve.core.figures.pen import Pen, Ref
from curvesieve.core.study.figure_parts import FigureSpec, PanelSpec

_TOLD_LETTERS = 44


@dataclass(eq=False)
class PanelDrawing:
    """A panel at its place on a page, its axes kept as ``ax<place>`` and, of what is read on the right, ``ax<place>r``.

    `said` is told what is amiss; `parts` are the names of what was kept, by the ids of parts.
    """

    pen: Pen
    spec: FigureSpec
    place: int
    all: Sequence[Shown]
    lines: LinesData
    shapes: ShapesData
    most: int
    said: list[str]
    parts: dict[str, str]
    named: list[Named] = field(default_factory=list)

    @property
    def shown(self) -> Shown:
        return self.all[self.place]

    @property
    def panel(self) -> PanelSpec:
        return self.spec.panels[self.place]

    @property
    def axes(self) -> str:
        return f"ax{self.place}"

    @property
    def has_right(self) -> bool:
        return any(line.right for line in self.shown.lines)

    def title(self, name: str) -> Title:
        """What the x or y axis shows."""
        found: Title = getattr(self.shown, name)
        return found

    def like(self, name: str) -> list[int]:
        """The panels that share this one's x or y axis, itself among them: those over the same; none where none do."""
        if not getattr(self.spec, f"share_{name}"):
            return []
        mine = self.title(name)
        places = [
            place for place, other in enumerate(self.all)
            if (getattr(other, name).name, getattr(other, name).unit) == (mine.name, mine.unit)
        ]  # fmt: skip
        return places if len(places) > 1 else []

    def begin(self) -> None:
        """The axes with their scales, the lines, and the limits that were typed."""
        pen, panel, axes, place = self.pen, self.panel, self.axes, self.place
        row, column = divmod(place, self.spec.columns)
        shared: dict[str, object] = {}
        for name in ("x", "y"):
            like = self.like(name)
            if like and like[0] < place:
                shared[f"share{name}"] = Ref(f"ax{like[0]}")
            elif place and not like and getattr(self.spec, f"share_{name}") and self.title(name).words:
                what = self.title(name).words
                self.said.append(f"Panel {chr(65 + place % 26)} is over another {name}, {what}: its axis is its own.")
        pen.do("fig", "add_subplot", Ref(f"grid[{row},{column}]"), **shared, into=axes)
        set_scale(pen, axes, "x", panel.x, self.shown)
        set_scale(pen, axes, "y", panel.y, self.shown)
        if self.has_right:
            pen.do(axes, "twinx", into=f"{axes}r")
            set_scale(pen, f"{axes}r", "y", panel.right, self.shown)
        self._draw_lines()
        set_limits(pen, axes, "x", panel.x, self.said)
        set_limits(pen, axes, "y", panel.y, self.said)
        if self.has_right:
            set_limits(pen, f"{axes}r", "y", panel.right, self.said)

    def _draw_lines(self) -> None:
        for number, one in enumerate(self.shown.fields):
            x, y, z = self.lines[self.place, one.id]
            assert z is not None
            draw_field(self.pen, self.axes, self.place, number, one, (x, y, z), self.spec.manner)
        for number, line in enumerate(self.shown.lines):
            style, name = style_of(self.panel, self.spec.manner, line, number), f"line{self.place}_{number}"
            axes = f"{self.axes}r" if line.right else self.axes
            data = self.lines[self.place, line.id]
            draw_line(self.pen, axes, self.panel, line, style, data, self.most, name, self.said)
            self.parts[f"line {self.place} {line.id}"] = name
            if line.role in ("data", "points"):
                self.named.append(Named(number, line, style))

    def finish(self) -> None:
        """Constructions, marks, axes, names, the magnified stretch, and what is to be told."""
        pen, panel, axes, manner = self.pen, self.panel, self.axes, self.spec.manner
        draw_shapes(pen, axes, self.shown.shapes, self.shapes[self.place], manner)
        draw_marks(pen, axes, self.place, panel, self.shown, manner, self.said)
        self._draw_axes()
        draw_names(pen, axes, panel, manner, self.named, self.place, self.said)
        if panel.inset is not None:
            self._draw_inset()
        self._write_on()
        self.said += self.shown.said
        self._keep_parts()

    def _draw_axes(self) -> None:
        pen, panel, shown, spec = self.pen, self.panel, self.shown, self.spec
        draw = partial(draw_axis, pen, manner=spec.manner, panel=panel, shown=shown, said=self.said)
        row, column = divmod(self.place, spec.columns)
        below = any(one > self.place and one % spec.columns == column for one in self.like("x"))
        before = any(one < self.place and one // spec.columns == row for one in self.like("y"))
        draw(self.axes, "x", panel.x, shown.x, numbered=not below)
        draw(self.axes, "y", panel.y, shown.y, numbered=not before)
        if self.has_right:
            draw(f"{self.axes}r", "y", panel.right, shown.right, numbered=True, far=True)
        draw_frame(pen, self.axes, panel, self.has_right or bool(panel.y.also))
        for name, axis in (("x", panel.x), ("y", panel.y)):
            draw_cut(pen, self.axes, name, axis, shown, spec.manner, panel)

    def _draw_inset(self) -> None:
        """The stretch once more, in a box, with a frame around where it is from."""
        pen, panel, manner = self.pen, self.panel, self.spec.manner
        inset, limits = panel.inset, inset_limits(panel, self.shown)
        assert inset is not None
        if limits is None:
            self.said.append(f"Nothing is drawn from {inset.low:g} to {inset.high:g}, so there is nothing to magnify.")
            return
        name = f"inset{self.place}"
        pen.do(self.axes, "inset_axes", [inset.x, inset.y, inset.width, inset.height], into=name)
        set_scale(pen, name, "x", panel.x.model_copy(update={"cut": None}), self.shown)
        set_scale(pen, name, "y", panel.y.model_copy(update={"cut": None}), self.shown)
        for number, line in enumerate(self.shown.lines):
            if not line.right:
                style, data = style_of(panel, manner, line, number), self.lines[self.place, line.id]
                draw_line(pen, name, panel, line, style, data, self.most, f"{name}_{number}", [])
        low, high, y_low, y_high = limits
        if panel.x.scale == "reciprocal":
            low, high = sorted((1 / low if low else 0.0, 1 / high if high else 0.0))
        pen.do(name, "set_xlim", low, high)
        pen.do(name, "set_ylim", y_low, y_high)
        pen.do(name, "tick_params", direction="in", length=2, labelsize=0.8 * manner.words,
               labelbottom=inset.numbers, labelleft=inset.numbers)  # fmt: skip
        pen.do(self.axes, "indicate_inset_zoom", Ref(name), edgecolor=manner.ink, linewidth=0.7 * manner.lines)

    def _write_on(self) -> None:
        """The panel's letter, and what is not there: in the middle of an empty panel, in a corner of another."""
        on = Ref(f"{self.axes}.transAxes")
        if self.spec.letters:
            letter = f"({chr(97 + self.place % 26)})"
            self.pen.do(self.axes, "text", *self._corner(), letter, transform=on, va="top", zorder=7)
        lines = self.shown.lines
        empty = not lines and not self.shown.fields
        gone = [one for one in self.shown.said if empty or " not there now" in one or "any more" in one]
        if gone:
            x, y, ha, va = (0.5, 0.5, "center", "center") if empty else (0.02, 0.02, "left", "bottom")
            text = "\n".join(textwrap.fill(one, _TOLD_LETTERS) for one in gone)
            self.pen.do(self.axes, "text", x, y, text, transform=on, ha=ha, va=va, zorder=7,
                        fontsize=0.9 * self.spec.manner.words, parse_math=False)  # fmt: skip

    def _corner(self) -> tuple[float, float]:
        """Where the letter stands: in the upper corner, on the left unless a line runs there and none on the right."""
        axes = self.pen.at(self.axes)
        busy = {0.02: False, 0.9: False}
        for number, line in enumerate(self.shown.lines):
            if line.right:
                continue
            drawn = self.pen.kept.get(f"line{self.place}_{number}")
            points = drawn[0].get_xydata() if drawn is not None and hasattr(drawn[0], "get_xydata") else None
            if points is None or not len(points):
                continue
            share = axes.transAxes.inverted().transform(axes.transData.transform(points))
            for x in busy:
                near = (share[:, 0] > x - 0.02) & (share[:, 0] < x + 0.1) & (share[:, 1] > 0.82) & (share[:, 1] <= 1)
                busy[x] = busy[x] or bool(near.any())
        return (0.9 if busy[0.02] and not busy[0.9] else 0.02), 0.97

    def _keep_parts(self) -> None:
        """Keeps by what name of the pen's each part of the panel is drawn."""
        place, axes = self.place, self.axes
        self.parts |= {f"panel {place}": axes, f"x {place}": f"{axes}.xaxis", f"y {place}": f"{axes}.yaxis"}
        wanted = {f"name {place} {one.line.id}": f"name{place}_{one.number}" for one in self.named}
        wanted |= {f"mark {place} {number}": f"mark{place}_{number}" for number in range(len(self.panel.marks))}
        wanted |= {f"names {place}": f"key{place}", f"inset {place}": f"inset{place}"}
        if self.has_right:
            wanted[f"right {place}"] = f"{axes}r.yaxis"
        self.parts |= {part: name for part, name in wanted.items() if name.split(".")[0] in self.pen.kept}
