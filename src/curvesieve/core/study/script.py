"""What is done to curves as a short Python script: it reads the files, applies the recipe, prints the ledger."""

from __future__ import annotations

import pprint
from collections.abc import Sequence

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.formats import tables
from curvesieve.core.formats.opening import main_table
from curvesieve.core.study.document import FromRecord
from curvesieve.core.study.passing import recorded
from curvesieve.core.study.study import Study

_MOST_POINTS = 20_000
"""Curves whose files are read otherwise than by themselves have their numbers in the script, up to so many."""
_PRINT = """
print("curve", "condition", "reading", "value", "u", "unit", sep="\\t")
for label, condition, curve, recipe, quantities in CURVES:
    done = RECIPES[recipe](curve, quantities=[cs.Quantity(**one) for one in quantities])
    for r in done.readings:
        print(label, condition, r.name, r.value, r.u, r.unit, sep="\\t")
    for failed in (one for one in done.outcomes if one.problem):
        print(label, condition, failed.slot.title, failed.problem, sep="\\t")
"""


def as_script(study: Study, curve_ids: Sequence[str]) -> str:
    """The script for some curves of a study; it needs this package and nothing else.

    A file that gives the curve when it is read by itself is read; otherwise (rows chosen, units or names given, other
    sources) the numbers stand in the script. Raises InputError where a step takes from other curves, where a curve is
    too long to be written out, and where there is nothing to do.
    """
    recipes: list[str] = []
    lines = []
    for id_ in curve_ids:
        entry = study.entry(id_)
        taking = [slot.title for slot in study.slots(id_) if slot.on and slot.rule.takes() != ()]
        if taking:
            raise InputError(
                f"{entry.label}: {taking[0]} takes from other curves, which a script by itself does not have. Use "
                "`curvesieve run` with the study."
            )
        recipe = pprint.pformat(study.recipe(id_).to_json(), width=116, sort_dicts=False)
        if recipe not in recipes:
            recipes.append(recipe)
        place = f"{entry.label!r}, {entry.condition!r}"
        given = [q.model_dump(include={"name", "value", "u", "unit"}) for q in study.quantities(id_)]
        lines.append(f"    ({place}, {_curve(study, id_)}, {recipes.index(recipe)}, {given!r}),")
    if not lines or not any(study.model(id_).terms or study.measures(id_) for id_ in curve_ids):
        raise InputError("There is no model and no measure on these curves: nothing for a script to read off.")
    said = "\n".join(f"    cs.Recipe.parse(\n{_indented(recipe)}\n    )," for recipe in recipes)
    names = study.entry(curve_ids[0]).label if len(curve_ids) == 1 else f"{len(curve_ids)} curves"
    title = f"{names} of the study {study.document.title}".replace('"', "'").replace("\\", "/")
    return "\n".join(
        [
            f'"""The readings of {title}."""',
            "",
            "import curvesieve as cs",
            "",
            "RECIPES = [",
            said,
            "]",
            "CURVES = [  # label, condition, curve, number of its recipe, its quantities",
            *lines,
            "]",
            _PRINT.strip(),
            "",
        ]
    )


def _indented(text: str) -> str:
    return "\n".join(f"        {line}" for line in text.splitlines())


def _curve(study: Study, curve_id: str) -> str:
    """An expression that gives the curve as it was recorded."""
    curve = recorded(study, curve_id)
    source = study.entry(curve_id).source
    if isinstance(source, FromRecord):
        entry, record = study.record_entry(source.record), study.record(source.record)
        by_itself = not (source.take.x_unit or source.take.y_unit or source.take.where)
        if by_itself and entry.path and record.source.held and _reads_the_same(study, source, curve):
            places = [source.take.x + 1, source.take.y + 1, *(() if source.take.u is None else (source.take.u + 1,))]
            return f"cs.read({entry.path!r}).curve({', '.join(map(str, places))})"
    if len(curve) > _MOST_POINTS:
        raise InputError(
            f"{study.entry(curve_id).label} has {len(curve):,} points and is not read by its file alone; write it as a "
            "file first."
        )
    u = "None" if curve.u is None else repr(curve.u.tolist())
    labels = f"{curve.x_label!r}, {curve.y_label!r}, {curve.x_unit!r}, {curve.y_unit!r}"
    return f"cs.Curve({curve.x.tolist()!r}, {curve.y.tolist()!r}, {u}, {labels})"


def _reads_the_same(study: Study, source: FromRecord, curve: Curve) -> bool:
    """Whether `cs.read` of the file gives the very numbers, names and units."""
    try:
        record = main_table(tables(study.record(source.record).source)).record
        made = record.curve(source.take.x + 1, source.take.y + 1, None if source.take.u is None else source.take.u + 1)
    except InputError:
        return False
    names = (made.x_label, made.y_label) == (curve.x_label, curve.y_label)
    return names and made.digest == curve.digest
