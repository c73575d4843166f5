"""Where marks of a figure stand, and their live words, as the readings of the study are now."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.reading import Reading, ReadingKey
from curvesieve.core.study.figure_parts import (
    BandMark,
    BracketMark,
    FamilyContent,
    FieldContent,
    GuideMark,
    Mark,
    PanelSpec,
    Spot,
    TrendContent,
)
from curvesieve.core.study.ledger import ledger_of
from curvesieve.core.study.measuring import measured_curve
from curvesieve.core.study.standing import is_place
from curvesieve.core.study.study import Study

_MOST_CURVES = 40
_LIVE = re.compile(r"\{([^{}]+) of ([^{}]+)\}")


@dataclass(frozen=True)
class Placed:
    """A mark with its places on the axis and its words, as they are now; `gone` where what it names is not there."""

    mark: Mark
    low: float | None = None
    high: float | None = None
    words: str = ""
    gone: bool = False


def placed(study: Study, mark: Mark, unit: str, said: list[str]) -> Placed:
    """A mark as it stands now on an axis in this unit; what is gone is added to `said`."""
    words = live(study, mark.words or "", said)
    if isinstance(mark, GuideMark):
        at = _place(study, mark.spot, unit, "guide", said)
        return Placed(mark, at, None, words, at is None)
    if isinstance(mark, BandMark | BracketMark):
        low = _place(study, mark.low, unit, mark.kind, said)
        high = _place(study, mark.high, unit, mark.kind, said)
        return Placed(mark, low, high, words, low is None or high is None)
    return Placed(mark, words=words)


def _place(study: Study, spot: Spot, unit: str, kind: str, said: list[str]) -> float | None:
    if spot.at is not None:
        return spot.at
    reading = reading_at(study, spot.curve, spot.key) if spot.key is not None else None
    if reading is None:
        of = f" of {study.entry(spot.curve).label}" if study.has(spot.curve) else ""
        what = f"{spot.key.quantity}{of}" if spot.key is not None else "a place"
        said.append(f"The {kind} follows {what}, which is not there now.")
        return None
    if units.shown(reading.unit) == units.shown(unit):
        return reading.value
    try:
        return float(units.convert(np.array(reading.value), reading.unit, unit))
    except InputError:
        said.append(f"The {kind} follows {reading.name}, which is in {units.shown(reading.unit) or 'no unit'}, "
                    f"and the axis in {units.shown(unit) or 'no unit'}.")  # fmt: skip
        return None


def reading_at(study: Study, curve_id: str, key: ReadingKey) -> Reading | None:
    """A reading of a curve as it stands now; None where there is none."""
    return readings_of(study, curve_id).get(key)


def readings_of(study: Study, curve_id: str, known: bool = False) -> dict[ReadingKey, Reading]:
    """All readings of a curve in the ledger, by their keys; only those that are `known` by now where that is asked."""
    if not study.has(curve_id):
        return {}
    read = None if known else {curve_id: measured_curve(study, curve_id)}
    ledger = ledger_of(study, study.family_of(curve_id), read)
    row = next((row for row in ledger.rows if row.curve.id == curve_id), None)
    return dict(row.cells) if row is not None else {}


def live(study: Study, text: str, said: list[str]) -> str:
    """A text with ``{E of foil_1}`` put in as the reading stands now; what is not there is said in its place.

    A reading is named by its symbol or its name, and the curve by its label.
    """

    def put(match: re.Match[str]) -> str:
        name, label = match[1].strip(), match[2].strip()
        id_ = study.named(label)
        found = readings_of(study, id_).values() if id_ is not None else ()
        reading = next((cell for cell in found if name in (cell.symbol, cell.name)), None)
        if reading is None:
            said.append(f"There is no {name} of {label} now.")
            return f"[no {name}]"
        return f"{reading.symbol or reading.name} = {reading.written}"

    return _LIVE.sub(put, text)


def curves_in(study: Study, panel: PanelSpec) -> list[str]:
    """The curves that a panel shows, by their ids, as far as they are there."""
    found: list[str] = []
    for content in panel.contents:
        if isinstance(content, FamilyContent | TrendContent):
            family = next((one for one in study.document.families if one.id == content.family), None)
            found += family.curves if family is not None else ()
        elif not isinstance(content, FieldContent):
            found.append(content.curve)
    return [id_ for id_ in dict.fromkeys(found) if study.has(id_)]


def offered_readings(study: Study, panel: PanelSpec) -> list[tuple[str, str]]:
    """The readings of a panel's curves that are known by now, each as it is typed in words: ``{E of foil_1}``."""
    return [
        (f"{reading.name} of {label}", f"{{{reading.name} of {label}}}")
        for id_, label in _first_curves(study, panel)
        for reading in readings_of(study, id_, known=True).values()
        if not reading.aside
    ]


def _first_curves(study: Study, panel: PanelSpec) -> list[tuple[str, str]]:
    return [(id_, study.entry(id_).label) for id_ in curves_in(study, panel)[:_MOST_CURVES]]


def offered_spots(study: Study, panel: PanelSpec, unit: str) -> list[tuple[str, Spot]]:
    """The readings of a panel's curves that are places on an axis in this unit."""
    return [
        (f"{reading.name} of {label}", Spot(curve=id_, key=key))
        for id_, label in _first_curves(study, panel)
        for key, reading in readings_of(study, id_, known=True).items()
        if is_place(reading, unit)
    ]
