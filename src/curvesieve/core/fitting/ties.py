"""Parameters computed from others: ``fwhm_2 = fwhm_1``, with the exact derivatives that a fit needs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import FormulaError, InputError, nearest
from curvesieve.core.formula import Compiled, compile_formula, parse


@dataclass(frozen=True, eq=False)
class Ties:
    """Tied parameters in an order in which each needs only free ones and those before it.

    Each is (its place, the compiled formula, the places of the formula's names).
    """

    tied: tuple[tuple[int, Compiled, tuple[int, ...]], ...]

    @property
    def places(self) -> tuple[int, ...]:
        """The places of the tied parameters among all."""
        return tuple(place for place, _, _ in self.tied)

    def fill(self, p: Floats) -> Floats:
        """Writes the tied values into a full parameter vector, in place. `p` has shape (parameters,)."""
        for place, compiled, needs in self.tied:
            p[place] = float(compiled.value((), [np.float64(p[i]) for i in needs]))
        return p

    def spread(self, p: Floats, free: Sequence[int]) -> Floats:
        """∂(all parameters)/∂(free ones) at a full vector, of shape (parameters, free)."""
        spread = np.zeros((p.size, len(free)))
        spread[list(free), range(len(free))] = 1.0
        for place, compiled, needs in self.tied:
            slopes = compiled.jacobian((), [np.float64(p[i]) for i in needs])
            for slope, need in zip(slopes, needs, strict=True):
                spread[place] += float(slope) * spread[need]
        return spread


NO_TIES = Ties(())


def state_ties(names: Sequence[str], ties: Mapping[str, str]) -> Ties:
    """Checks ties and puts them in order; raises InputError for unknown names, bad formulas and circles."""
    return _stated(tuple(names), tuple(ties.items())) if ties else NO_TIES


@lru_cache(maxsize=256)
def _stated(names: tuple[str, ...], ties: tuple[tuple[str, str], ...]) -> Ties:
    needs = {name: _needs(name, text, names) for name, text in ties}
    order: list[str] = []
    while len(order) < len(needs):
        ready = [n for n in needs if n not in order and all(m in order or m not in needs for m in needs[n])]
        if not ready:
            circle = ", ".join(name for name in needs if name not in order)
            raise InputError(f"The ties of {circle} go round in a circle; let one of them go.")
        order += ready
    found = []
    for name in order:
        compiled = compile_formula(parse(dict(ties)[name], ()))
        found.append((names.index(name), compiled, tuple(names.index(n) for n in needs[name])))
    return Ties(tuple(found))


def _needs(name: str, text: str, names: tuple[str, ...]) -> tuple[str, ...]:
    if name not in names:
        raise InputError(f"ties names {name!r}; the parameters are {', '.join(names)}{nearest(name, list(names))}")
    try:
        needed = parse(text, ()).parameters
    except FormulaError as error:
        raise InputError(f"The tie of {name}, {text!r}, cannot be read: {error}") from error
    for other in needed:
        if other not in names:
            raise InputError(
                f"The tie of {name} names {other!r}; the parameters are {', '.join(names)}{nearest(other, list(names))}"
            )
        if other == name:
            raise InputError(f"{name} is tied to itself; name other parameters.")
    return needed
