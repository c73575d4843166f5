"""`fit`: a formula or a term fitted to a file's curve."""

from __future__ import annotations

import argparse
import json
import math
from collections.abc import Collection
from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from curvesieve.cli.choosing import assignment, chosen_curve, limits, several, split_assignment

if TYPE_CHECKING:
    from curvesieve.core.fitting import FitResult


def fit_file(options: argparse.Namespace) -> int:
    from curvesieve.core import units
    from curvesieve.core.fitting.fits import fit_asked
    from curvesieve.core.fitting.request import Request
    from curvesieve.core.formats import read
    from curvesieve.core.formula import understood_variable
    from curvesieve.core.models import OwnTerm, is_known, term_of

    record = read(options.file)
    curve = chosen_curve(record, options)
    said = options.variable or ("x" if is_known(options.model) else understood_variable(options.model, curve.x_label))
    variables = tuple(name.strip() for name in said.split(","))
    request = Request(
        start=dict(assignment(text, "--start") for text in options.start),
        hold=[name for text in options.hold for name in text.split(",") if name],
        bounds={name: limits(text, f"--bound {name}") for name, text in map(split_assignment, options.bound)},
        ties=dict(split_assignment(text) for text in options.tie),
        loss=options.loss,
        weights=options.weights,
        scaled=not options.as_is,
    )
    alone = len(variables) == 1
    x = curve.x if alone else several(record, options, variables, len(curve))
    result = fit_asked(options.model, x, curve.y, curve.u, request, variables[0] if alone else variables)
    unit_of: dict[str, str] = {}
    inner: tuple[str, ...] = ()
    if len(variables) == 1:
        known = is_known(options.model)
        term = term_of(options.model) if known else OwnTerm(formula=options.model, variable=variables[0]).as_term()
        inner = tuple(result.parameters) if term.basis else ()
        unit_of = {
            name: units.written(term.unit_text(name, curve.x_unit, curve.y_unit))
            for name in (*result.parameters, *result.follows)
        }
    if options.json:
        print(json.dumps(_as_json(result, unit_of), ensure_ascii=False, indent=1))
    else:
        _print_fit(result, unit_of, inner)
    return 0


def _as_json(result: FitResult, unit_of: dict[str, str]) -> dict[str, Any]:
    return {
        "model": result.formula,
        "parameters": {
            name: {"value": p.value, "u": p.u, "unit": unit_of.get(name, ""), "held": p.held}
            for name, p in result.parameters.items()
        },
        "follows": {
            name: {"value": q.value, "u": q.u, "unit": unit_of.get(name, "")} for name, q in result.follows.items()
        },
        "statistics": asdict(result.statistics),
        "converged": result.converged,
        "message": result.message,
        "iterations": result.iterations,
        "warnings": list(result.warnings),
    }


def _print_fit(result: FitResult, unit_of: dict[str, str], inner: Collection[str] = ()) -> None:
    print(f"{result.formula}\n{result.message}")
    for warning in result.warnings:
        print(f"warning: {warning}")
    for name, p in result.parameters.items():
        if name in inner:
            continue
        u = "held" if p.held else "u unknown" if p.u is None else f"u {p.u:.4g}"
        print(f"  {name:<12} {p.value:.10g}  ({u})  {unit_of.get(name, '')}".rstrip())
    for name, q in result.follows.items():
        u = "u unknown" if q.u is None else f"u {q.u:.4g}"
        print(f"  {name:<12} {q.value:.10g}  ({u})  {unit_of.get(name, '')}".rstrip())
    s = result.statistics
    print(f"  n {s.n}, degrees of freedom {s.dof}, RSS {s.rss:.6g}, RMSE {s.rmse:.6g}, R² {s.r2 or math.nan:.6g}")
