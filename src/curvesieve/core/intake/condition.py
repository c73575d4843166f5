"""The condition of files that belong together, read off their names or their preambles: ``film_400C_b``, ``2p0wt``."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import PurePath

import numpy as np

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.intake.applied import Taken
from curvesieve.core.intake.dimensions import is_dimension
from curvesieve.core.record import Record

_NUMBER = re.compile(
    r"(?<![A-Za-z0-9.])-?\d+(?:[.,p]\d+)?(?=[A-Za-z%°]|[^A-Za-z0-9.]|$)"  # a word that begins with a number
    r"|(?<=[A-Za-z=_ -])\d+(?:[.,p]\d+)?"  # a number behind letters
)
_UNITS = {
    "c": "°C", "degc": "°C", "°c": "°C", "k": "K", "wt": "wt%", "wt%": "wt%", "pct": "%", "%": "%", "min": "min",
    "s": "s", "h": "h", "d": "d",
    "nm": "nm", "um": "µm", "mm": "mm", "n": "N", "kn": "kN", "mpa": "MPa", "mm/min": "mm/min",
    "rh": "%", "mol": "mol", "mm2": "mm2", "v": "V", "mv": "mV", "kpa": "kPa", "gpa": "GPa", "hz": "Hz", "x": "",
}  # fmt: skip
_VALUE_WITH_UNIT = re.compile(r"^(?P<value>[+-]?\d+(?:[.,]\d+)?(?:[eE][+-]?\d+)?)\s*(?P<unit>\D\S*(?:\s\S+)?)?$")


@dataclass(frozen=True)
class Condition:
    """What changes from file to file: a name, a unit and a value for each file (None where a file has none)."""

    name: str
    unit: str
    values: tuple[float | None, ...]


@dataclass(frozen=True)
class _Slot:
    before: str
    value: float
    unit: str
    after: str = ""
    """The word behind the unit: ``RH`` in ``30% RH``."""


def propose(records: Sequence[Record]) -> Condition:
    """The condition that tells the records apart: from their names, or else from a line of their preambles.

    A number counts when it is not the same everywhere; one with a unit behind it is taken before one without. Where
    neither names nor units say what it is, a line of the preambles that says just those numbers does. Empty, with no
    values, when nothing is found.
    """
    nothing = Condition("", "", (None,) * len(records))
    if not records:
        return nothing
    from_names = propose_from_names(_telling([record.source.name for record in records]))
    if from_names.name and len(records) > 1 and not _quantity(from_names.unit):
        line = _from_metadata(records)
        if line.name and line.values == from_names.values and line.unit in ("", from_names.unit):
            return replace(line, unit=from_names.unit)
    if from_names.unit or (from_names.name and len(records) > 1):
        return from_names
    from_lines = _from_metadata(records)
    return from_lines if from_lines.name else from_names if from_names.name else nothing


def propose_from_names(names: Sequence[str]) -> Condition:
    """The condition that names alone tell: of files, of sheets, of channels."""
    return _varying([_slots(name) for name in names])


def propose_for(takens: Sequence[Taken]) -> Condition:
    """The condition of all curves taken from several records, in their order.

    A channel that was given the role of the condition says it; otherwise the files do, or, for several curves of one
    file, the names of their y channels.
    """
    said = [value for taken in takens for value in taken.conditions]
    if said and None not in said:
        found_units = [taken.condition[1] for taken in takens for _ in taken.conditions]
        in_one = _in_one_unit([value for value in said if value is not None], found_units)
        if in_one is not None:
            return Condition(takens[0].condition[0], in_one[1], in_one[0])
    if len(takens) == 1 and len(takens[0].takes) > 1:
        return propose_from_names([takens[0].label(i) for i in range(len(said))])
    records = [taken.record for taken in takens]
    if any(taken.test for taken in takens):  # specimens differ in their dimensions, which tell them apart by chance
        records = [
            replace(one, metadata=tuple(kept for kept in one.metadata if not is_dimension(*kept))) for one in records
        ]
    found = propose(records)
    return Condition(
        found.name, found.unit, tuple(v for t, v in zip(takens, found.values, strict=True) for _ in t.takes)
    )


def _telling(names: Sequence[str]) -> list[str]:
    """The part of the names that can tell them apart: the titles of one file's tables, or the files' own names."""
    files, titles = zip(*((name.partition(" · ")[0], name.partition(" · ")[2]) for name in names), strict=True)
    if all(titles) and len(set(files)) == 1:
        return list(titles)
    return [_stem(file) for file in files]


def _stem(name: str) -> str:
    stem = PurePath(name).name
    return re.sub(
        r"(\.(csv|txt|dat|tsv|xyz?|xye|jdx|dx|xlsx|ods|h5|hdf5|nxs|xml|npy|npz|gz|asc))+$", "", stem, flags=re.I
    )


def _slots(stem: str) -> list[_Slot]:
    found = []
    for match in _NUMBER.finditer(stem):
        rest = re.match(r"\s*([A-Za-z%°]+(?:/[A-Za-z]+)?)", stem[match.end() :])
        word = rest[1].casefold() if rest else ""
        value = float(match[0].replace("p", ".").replace(",", "."))
        before = re.search(r"([A-Za-z]+)[\s_=-]*$", stem[: match.start()])
        after = re.match(r"\s+([A-Za-z]{2,})$", stem[match.end() + (rest.end() if rest else 0) :])
        found.append(_Slot(before[1] if before else "", value, _UNITS.get(word, ""), after[1] if after else ""))
    return found


def _varying(rows: list[list[_Slot]]) -> Condition:
    """The first place whose number differs between files, a place with a unit before one without."""
    width = min((len(row) for row in rows), default=0)
    places = [i for i in range(width) if len({(row[i].value, row[i].unit) for row in rows}) > 1 or len(rows) == 1]
    places.sort(key=lambda i: not any(row[i].unit for row in rows))
    if not places:
        return Condition("", "", (None,) * len(rows))
    for place in places:
        found = _in_one_unit([row[place].value for row in rows], [row[place].unit for row in rows])
        words = {(row[place].before or row[place].after).casefold() for row in rows}
        if len(words) > 1 and not _has_unit(rows, place):
            continue  # foil_1 beside film_1: numbers of two kinds of thing
        if found is not None and (len(set(found[0])) > 1 or len(rows) == 1):
            name = rows[0][place].before or rows[0][place].after
            return Condition(_quantity(found[1]) or name or "condition", found[1], found[0])
    return Condition("", "", (None,) * len(rows))


def _has_unit(rows: list[list[_Slot]], place: int) -> bool:
    """Whether a number has a unit in every name."""
    return all(row[place].unit for row in rows)


def _in_one_unit(values: Sequence[float], said: Sequence[str]) -> tuple[tuple[float, ...], str] | None:
    """Values in the first unit that is said (2 h beside 30 min are 120 min), with that unit; None where units differ in
    kind. A value without a unit has that of the others."""
    unit = next((one for one in said if one), "")
    if all(one in ("", unit) for one in said):
        return tuple(values), unit
    try:
        return tuple(
            float(units.convert(np.array([value]), one, unit)[0]) if one not in ("", unit) else value
            for value, one in zip(values, said, strict=True)
        ), unit
    except InputError:
        return None


def _quantity(unit: str) -> str:
    """What a unit measures, where there is no doubt: better than the word that happens to stand before the number."""
    kinds = {
        "°C": "temperature",
        "K": "temperature",
        "wt%": "loading",
        "min": "time",
        "s": "time",
        "h": "time",
        "d": "time",
    }
    return kinds.get(unit, "")


def _from_metadata(records: Sequence[Record]) -> Condition:
    """A ``key: value unit`` line that all preambles have and that differs between them."""
    shared = [key for key, _ in records[0].metadata if all(key in dict(record.metadata) for record in records)]
    for key in shared:
        matches = [_VALUE_WITH_UNIT.match(dict(record.metadata)[key]) for record in records]
        values = [float(m["value"].replace(",", ".")) for m in matches if m]
        if len(values) != len(records) or len({dict(record.metadata)[key] for record in records}) < 2:
            continue
        said = [(m["unit"] or "").strip() for m in matches if m]
        found = _in_one_unit(values, [_UNITS.get(unit.casefold(), unit) for unit in said])
        if found is not None and len(set(found[0])) > 1:
            return Condition(key, found[1], found[0])
    return Condition("", "", (None,) * len(records))
