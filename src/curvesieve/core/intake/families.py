"""Files of one kind become one family: its title, the condition that orders it, and a label for each curve."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from curvesieve.core import units
from curvesieve.core.errors import counted
from curvesieve.core.intake.applied import Taken
from curvesieve.core.intake.condition import Condition, propose_for
from curvesieve.core.intake.machine import TESTS

Key = tuple[int, int]
"""A curve on its way in: the number of its file, and its place among the file's curves."""


@dataclass(frozen=True)
class Corrections:
    """What the user says about a family's condition instead of what was proposed."""

    name: str | None = None
    unit: str | None = None
    values: tuple[tuple[Key, float | None], ...] = ()

    def with_value(self, key: Key, value: float | None) -> Corrections:
        """The same with another condition for one curve."""
        return replace(self, values=(*(pair for pair in self.values if pair[0] != key), (key, value)))


@dataclass(frozen=True, eq=False)
class Proposal:
    """A family as it will come in: the keys of its curves, what their records gave, in the order of the files."""

    keys: tuple[Key, ...]
    takens: tuple[Taken, ...]
    condition: Condition

    @property
    def title(self) -> str:
        """``Force against Extension by loading``."""
        first = self.takens[0]
        channels = first.record.channels
        ys = list(dict.fromkeys(channels[chosen.y].name for chosen in first.takes))
        y = ys[0] if len(ys) == 1 else counted(len(ys), "channel")
        by = f" by {self.condition.name}" if self.condition.name else ""
        if first.test:
            return f"{TESTS[first.test].label}{by}"
        return f"{y} against {channels[first.takes[0].x].name}{by}"

    @property
    def labels(self) -> list[str]:
        """``0.5 wt%`` for each curve where the condition tells all apart, names of files and channels otherwise."""
        values = self.condition.values
        if None in values or len(set(values)) < len(values):
            return self._names()
        unit = units.shown(self.condition.unit)
        return [f"{value:g} {unit}" if unit else f"{self.condition.name} {value:g}" for value in values]

    def _names(self) -> list[str]:
        names = []
        for (_, i), taken in zip(self.keys, self._each_taken(), strict=True):
            file, dot, title = taken.record.source.name.partition(" · ")
            name = f"{file}{dot}{title}" if dot else file.rsplit(".", 1)[0]
            names.append(f"{name} · {taken.label(i)}" if len(taken.takes) > 1 else name)
        return names

    def _each_taken(self) -> list[Taken]:
        return [taken for taken in self.takens for _ in taken.takes]


def propose_family(members: Sequence[tuple[int, Taken]], corrected: Corrections) -> Proposal:
    """The family of some files of a kind, each with its number."""
    keys = tuple((number, i) for number, taken in members for i in range(len(taken.takes)))
    takens = tuple(taken for _, taken in members)
    found = propose_for(takens)
    given: Mapping[Key, float | None] = dict(corrected.values)
    values = tuple(given.get(key, value) for key, value in zip(keys, found.values, strict=True))
    some = any(value is not None for value in values)
    name = found.name if corrected.name is None else corrected.name
    unit = found.unit if corrected.unit is None else corrected.unit
    return Proposal(keys, takens, Condition((name or "condition") if some else name, unit, values))
