"""`read`, `steps`, `measures` and `terms`: what a file holds, and what the program knows."""

from __future__ import annotations

import argparse
import json
import math
from collections.abc import Mapping
from typing import Any

from curvesieve.core.rules import Rule


def json_number(value: float) -> float | None:
    return value if math.isfinite(value) else None


def read(options: argparse.Namespace) -> int:
    from curvesieve.core.formats import tables
    from curvesieve.core.formats.opening import load, main_table

    source = load(options.file)
    tables_found = tables(source)
    table = main_table(tables_found)
    record, found, layout = table.record, table.found, table.found.layout
    said = {
        "format": found.format,
        "encoding": found.encoding,
        "delimiter": layout.delimiter_name,
        "decimal": layout.decimal,
        "skipped_rows": layout.first_row,
        "channels": [
            {
                "name": channel.name,
                "unit": channel.unit,
                "count": len(record),
                "first": json_number(float(channel.values[0])),
                "last": json_number(float(channel.values[-1])),
            }
            for channel in record.channels
        ],
        "notes": list(record.notes),
        "tables": [other.record.source.name for other in tables_found],
    }
    if options.json:
        print(json.dumps(said, ensure_ascii=False, indent=1))
        return 0
    print(
        f"{record.source.name}: {found.format}, {said['encoding']}, {said['delimiter']}, decimal {said['decimal']!r}, ",
        end="",
    )
    print(f"{said['skipped_rows']} rows before the data, {len(record)} rows of data")
    for channel in record.channels:
        unit = channel.unit or "no unit"
        print(f"  {channel.name} ({unit}): {channel.values[0]:.10g} … {channel.values[-1]:.10g}")
    for note in record.notes:
        print(f"  note: {note}")
    return 0


def list_steps(as_json: bool) -> int:
    from curvesieve.core.steps import registered_steps

    return _list_rules("step", registered_steps(), as_json)


def list_measures(as_json: bool) -> int:
    from curvesieve.core import units
    from curvesieve.core.measures import registered_measures

    measures = registered_measures()
    yields = {
        slug: [
            {"quantity": one.quantity, "symbol": one.symbol, "unit": units.power_product("[x]", one.x, "[y]", one.y)}
            for one in measure.yields
        ]
        for slug, measure in measures.items()
    }
    return _list_rules("measure", measures, as_json, {slug: {"yields": found} for slug, found in yields.items()})


def _list_rules(
    word: str, rules: Mapping[str, type[Rule]], as_json: bool, more: Mapping[str, dict[str, Any]] | None = None
) -> int:
    """Prints rules with their fields, or as JSON with the schema of each; `more` has what else it says of each."""
    more = more or {}
    if as_json:
        rows = [
            {
                word: slug, "label": rule.label, "intent": rule.group, "summary": rule.summary,
                "reference": rule.reference, **more.get(slug, {}), "schema": rule.model_json_schema(),
            }
            for slug, rule in rules.items()
        ]  # fmt: skip
        print(json.dumps(rows, ensure_ascii=False, indent=1))
        return 0
    for slug, rule in rules.items():
        print(f"{slug:<20} {rule.group:<10} {rule.summary}")
        for name, info in rule.model_fields.items():
            print(f"    {name:<14} {info.default!r:<14} {info.description}")
    return 0


def list_terms(as_json: bool) -> int:
    from curvesieve.core.models import TERMS

    if as_json:
        rows = [
            {
                "term": term.slug, "label": term.label, "kind": term.kind, "formula": term.formula,
                "parameters": [
                    {"name": p.name, "description": p.description, "lower": json_number(p.lower),
                     "upper": json_number(p.upper), "unit": term.unit_text(p.name, "[x]", "[y]")}
                    for p in term.parameters
                ],
                "derived": [{"name": d.name, "formula": d.formula, "reference": d.reference} for d in term.derived],
                "description": term.description,
                "reference": term.reference,
            }
            for term in TERMS.values()
        ]  # fmt: skip
        print(json.dumps(rows, ensure_ascii=False, indent=1))
        return 0
    for term in TERMS.values():
        print(f"{term.slug:<32} {term.kind:<11} {term.formula.splitlines()[-1]}")
    return 0
