"""Curves made without a file: simulated by a formula with noise, or the histogram of a channel."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from curvesieve.core import units
from curvesieve.core.errors import InputError, counted
from curvesieve.core.formats.table import Table, from_channels
from curvesieve.core.models import FormulaSum, formula_sum, is_known, term_of, term_sum
from curvesieve.core.record import Channel, Source

Floats = NDArray[np.float64]
Noise = Literal["none", "normal", "Poisson", "proportional"]
NOISES: tuple[Noise, ...] = ("none", "normal", "Poisson", "proportional")
BIN_RULES = {
    "fd": "Freedman–Diaconis", "scott": "Scott", "sturges": "Sturges", "sqrt": "square root", "doane": "Doane",
}  # fmt: skip
"""NumPy's bin rules by their authors' names."""
MAX_POINTS = 10_000_000


class Simulation(BaseModel):
    """A formula (or a library term's slug) over a range of x, with noise from a seed: one recipe, one set of numbers.

    `noise` is of the standard deviation `size` (normal), of `size` times |y| (proportional), or that of counts.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    model: str = "gaussian"
    parameters: dict[str, float] = {}
    low: float = 0.0
    high: float = 10.0
    points: int = Field(default=201, ge=2, le=MAX_POINTS)
    logarithmic: bool = False
    noise: Noise = "normal"
    size: float = Field(default=0.02, ge=0)
    seed: int = Field(default=1, ge=0)
    x_unit: str = ""
    y_unit: str = ""

    @property
    def summed(self) -> FormulaSum:
        """The model; raises FormulaError when its text is no formula."""
        return term_sum(term_of(self.model)) if is_known(self.model) else formula_sum(self.model)

    def x(self) -> Floats:
        """The values of x; raises InputError for a range that is none. Of shape (points,), in `x_unit`."""
        if not (np.isfinite(self.low) and np.isfinite(self.high) and self.low < self.high):
            raise InputError(f"x must run from a smaller to a larger number, not from {self.low:g} to {self.high:g}.")
        if self.logarithmic:
            if self.low <= 0:
                raise InputError(f"Equal steps of log x need x above zero, but x begins at {self.low:g}.")
            return np.geomspace(self.low, self.high, self.points)
        return np.linspace(self.low, self.high, self.points)


def simulate(recipe: Simulation) -> Table:
    """The table of a simulation: x, y, the true y, and u where the noise is known and not zero.

    Raises InputError when a parameter has no value or the formula has none somewhere in the range.
    """
    summed, x = recipe.summed, recipe.x()
    missing = [name for name in summed.names if name not in recipe.parameters]
    if missing:
        raise InputError(f"Give a value for {', '.join(missing)}.")
    true = summed.evaluate(x, [recipe.parameters[name] for name in summed.names])
    if not np.isfinite(true).all():
        at = x[int(np.flatnonzero(~np.isfinite(true))[0])]
        raise InputError(f"The formula has no value at x = {at:.6g}; choose another range or other values.")
    rng = np.random.default_rng(recipe.seed)
    spread = np.zeros(x.size)
    y = true
    if recipe.noise == "Poisson":
        if true.min() < 0 or true.max() > 1e18:
            raise InputError("Poisson noise is for counts: y must lie between 0 and 10^18 everywhere.")
        y = rng.poisson(true).astype(np.float64)
        spread = np.sqrt(np.maximum(true, 1.0))
    elif recipe.noise != "none":
        spread = np.full(x.size, recipe.size) if recipe.noise == "normal" else recipe.size * np.abs(true)
        y = true + spread * rng.standard_normal(x.size)
    channels = [("x", recipe.x_unit, x), ("y", recipe.y_unit, y)]
    if (spread > 0).all():
        channels.append(("u", recipe.y_unit, spread))
    channels.append(("true y", recipe.y_unit, true))
    lines = [(key, str(value)) for key, value in recipe.model_dump(exclude={"parameters"}).items()]
    lines += [(name, f"{value!r}") for name, value in recipe.parameters.items() if name in summed.names]
    label = term_of(recipe.model).label if is_known(recipe.model) else recipe.model
    return from_channels(_source(f"simulated {label[:40]}", recipe), "simulated", "", channels, lines)


class Histogram(BaseModel):
    """How a channel is counted into bins: by a rule's name or by a number of bins."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    rule: str = "fd"
    bins: int = Field(default=0, ge=0, le=100_000)

    def edges(self, values: Floats) -> Floats:
        """The edges of the bins of values of shape (n,), of shape (bins + 1,); raises InputError for no known rule."""
        if self.bins:
            return np.asarray(np.histogram_bin_edges(values, self.bins))
        if self.rule not in BIN_RULES:
            raise InputError(f"{self.rule!r} is no rule for bins; there are {', '.join(BIN_RULES)}.")
        return np.asarray(np.histogram_bin_edges(values, self.rule))


def histogram(channel: Channel, of: Source, how: Histogram) -> Table:
    """The counts of a channel's values in bins, with u = √n; an empty bin has u = 1 (common practice).

    Raises InputError when the channel has fewer than two different numbers.
    """
    values = channel.values[np.isfinite(channel.values)]
    if values.size < 2 or values.min() == values.max():
        raise InputError(f"{channel.name} has no two different numbers; there is nothing to count into bins.")
    edges = how.edges(values)
    if edges.size > MAX_POINTS:
        raise InputError(f"{channel.name} would need {edges.size:,} bins; give their number instead.")
    counts, _ = np.histogram(values, edges)
    n = counts.astype(np.float64)
    channels = [
        (channel.name, channel.unit, (edges[:-1] + edges[1:]) / 2),
        ("count", "", n),
        ("u", "", np.sqrt(np.maximum(n, 1.0))),
    ]
    said = f"{how.bins}" if how.bins else f"{counted(n.size, 'bin')} by the rule of {BIN_RULES[how.rule]}"
    lines = [
        ("histogram of", f"{units.labelled(channel.name, channel.unit)} in {of.name}"), ("bins", said),
        ("width", f"{edges[1] - edges[0]:.10g} {channel.unit}".strip()), ("source", of.sha256),
    ]  # fmt: skip
    source = _source(f"histogram of {channel.name}, {of.name}", how)
    return from_channels(source, "histogram", "", channels, lines)


def _source(name: str, recipe: BaseModel) -> Source:
    """The recipe stands where a file's bytes would: the record can be made again from it."""
    return Source(name, recipe.model_dump_json(indent=1).encode())
