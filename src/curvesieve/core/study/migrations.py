"""Older study files brought to today's shape: one function a version, each on the plain JSON tree."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Iterable
from typing import Any

from curvesieve.core.study.document import SCHEMA_VERSION

Tree = dict[str, Any]


def _from_1(tree: Tree) -> None:
    """Version 2: curves with units of their own and chosen rows, sources that are not kept; all with defaults."""


def _from_2(tree: Tree) -> None:
    """Version 3: RSS and RMSE are plain sums, χ² stands beside them, and what rests on squares only for a squared loss.

    A user's quantity is keyed as one. The units of a fit's curve were not kept: where a step made others that cannot be
    told from the file alone, the fit counts as out of date.
    """
    for curve in tree.get("curves", ()):
        fit = curve.get("fit")
        if fit is None:
            continue
        result = fit["result"]
        statistics = result["statistics"]
        if statistics.get("reduced_chi2") is not None:
            statistics["chi2"] = statistics["rss"]
            statistics["rss"] = statistics["n"] * statistics["rmse"] ** 2
        if result.get("loss", "squared") != "squared":
            statistics |= dict.fromkeys(("adjusted_r2", "reduced_chi2", "aicc", "bic"))
        units = _units_of(tree, curve)
        if units is None:
            fit["key"] = ""
        else:
            fit["x_unit"], fit["y_unit"] = units
        own = {name for name, _ in curve.get("model", {}).get("derived", ())}
        for reading in fit.get("readings", ()):
            if reading["quantity"] in own and reading["method"].endswith(" from the fit"):
                reading["quantity"] = f"= {reading['quantity']}"


_MAKE_UNITS = ("combine", "slope", "running-area", "spectrum", "re-express")


def _units_of(tree: Tree, curve: Tree) -> tuple[str, str] | None:
    """The units of a curve as it passed its steps; None where a step made one that the file does not tell."""
    channels = next(record["channels"] for record in tree["records"] if record["id"] == curve["record"])
    units = {axis: curve.get(f"{axis}_unit") or channels[curve[axis]]["unit"] for axis in "xy"}
    family = next((f for f in tree.get("families", ()) if curve["id"] in f["curves"]), None)
    slots = curve.get("slots", ()) if curve.get("own_sieve", True) or family is None else family.get("slots", ())
    for slot in slots:
        step = slot["step"]
        if not slot.get("on", True):
            continue
        if step["step"] in _MAKE_UNITS:
            return None
        if step["step"] == "scale":
            axis = step.get("axis", "y")
            if step.get("by") == "unit":
                units[axis] = step.get("unit", "").strip()
            elif step.get("by") != "factor":
                units[axis] = ""
    return units["x"], units["y"]


def _from_3(tree: Tree) -> None:
    """Version 4: what stands in a slot is a rule; curves have a source and a recipe; fits stand beside the document.

    A reading has a key of three parts and says what points it rests on.
    """
    results = tree["results"] = {}
    for curve in tree.get("curves", ()):
        chosen = {name: curve.pop(name) for name in ("x", "y", "u", "x_unit", "y_unit", "where") if name in curve}
        curve["source"] = {"kind": "record", "record": curve.pop("record"), "take": chosen}
        curve["recipe"] = {"sieve": _as_rules(curve.pop("slots", ())), "model": curve.pop("model", {})}
        curve["shared"] = [] if curve.pop("own_sieve", True) else ["sieve"]
        fit = curve.pop("fit", None)
        if fit is None:
            continue
        if not re.fullmatch("[0-9a-f]{64}", fit["key"]):  # out of date whatever comes; see `_from_2`
            fit["key"] = hashlib.sha256(f"of an older file: {curve['id']}".encode()).hexdigest()
        fit["basis"] = {"used": fit.pop("used", 0), "recorded": fit.pop("recorded", 0)}
        for reading in fit.get("readings", ()):
            name, peak = reading.pop("quantity"), reading.pop("peak")
            own = name.startswith("= ")
            reading["key"] = ["own" if own else "fit", name.removeprefix("= "), peak]
            reading["basis"] = fit["basis"]
        results[fit["key"]] = fit
        curve["result"] = fit["key"]
    for family in tree.get("families", ()):
        family["recipe"] = {"sieve": _as_rules(family.pop("slots", ()))}


def _from_4(tree: Tree) -> None:
    """Version 5: recipes have measures, curves and families quantities, ledgers groups and looks; all with defaults."""


def _from_5(tree: Tree) -> None:
    """Version 6: families say how they are fitted together and looked at; all with defaults."""


def _from_6(tree: Tree) -> None:
    """Version 7: studies have figures; none by default."""


def _from_7(tree: Tree) -> None:
    """Version 8: studies have charts, and curves may come from them; none by default."""


def _from_8(tree: Tree) -> None:
    """Version 9: studies have fields, and curves may be slices of them; none by default."""


def _as_rules(slots: Iterable[Tree]) -> list[Tree]:
    return [{**{key: value for key, value in slot.items() if key != "step"}, "rule": slot["step"]} for slot in slots]


_STEPS: dict[int, Callable[[Tree], None]] = {
    1: _from_1, 2: _from_2, 3: _from_3, 4: _from_4, 5: _from_5, 6: _from_6, 7: _from_7,
    8: _from_8,
}  # fmt: skip


def migrated(tree: Tree) -> Tree:
    """The tree of a study file, as it would be written today; changed in place.

    A damaged tree may raise KeyError, TypeError or StopIteration: whoever reads files says that it is damaged.
    """
    for version in range(int(tree.get("version", 1)), SCHEMA_VERSION):
        _STEPS[version](tree)
        tree["version"] = version + 1
    return tree
