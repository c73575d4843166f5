"""Starts of tied parameters: what their ties give at the starts of the others, by plain evaluation."""

from __future__ import annotations

import math

from curvesieve.core.errors import FormulaError
from curvesieve.core.formula import evaluate, parse
from curvesieve.core.models.model import Model


def settled(model: Model) -> Model:
    """The model with every tied parameter beginning at what its tie says, so that it is drawn as it will be fitted.

    A tie that has no value there, or goes in a circle, keeps its start: the fit refuses it with a reason.
    """
    ties = model.ties
    if not ties:
        return model
    values = model.start
    for _ in ties:  # ties may stand on ties
        before = dict(values)
        for name, text in ties.items():
            try:
                formula = parse(text, ())
                value = float(evaluate(formula, {one: values[one] for one in formula.parameters}))
            except (FormulaError, KeyError):
                continue
            if math.isfinite(value):
                values[name] = value
        if values == before:
            break
    return model.starting_at({name: values[name] for name in ties})
