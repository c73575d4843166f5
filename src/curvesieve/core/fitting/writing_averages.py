"""Averages over sizes and directions as Python lines of a script: Gauss–Legendre sums with NumPy alone."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.formula import parse
from curvesieve.core.formula.printing import python
from curvesieve.core.models.integrals import Average, Averaged, Smearing

Floats = NDArray[np.float64]
GAUSS = (
    "", "def gauss(count):", "    t, w = np.polynomial.legendre.leggauss(count)", "    return (t + 1)/2, w/2", "",
)  # fmt: skip
_DENSITIES = {
    "gaussian": "np.exp(-0.5*((r - {m})/({m}*{s}))**2)/({m}*{s}*np.sqrt(2*np.pi))",
    "log-normal": "np.exp(-0.5*(np.log(r/{m}) + np.log1p({s}**2)/2)**2/np.log1p({s}**2))"
    "/(r*np.sqrt(2*np.pi*np.log1p({s}**2)))",
    "schulz": "np.exp((1/{s}**2 - 1)*np.log(r/({m}*{s}**2)) - r/({m}*{s}**2) - special.gammaln(1/{s}**2))/({m}*{s}**2)",
}


def averaged_lines(averaged: Averaged, k: int, x: Floats, numbers: Sequence[float]) -> list[str]:
    """Functions of the averages of piece number k, then what calls them; x of shape (n,) says how many nodes."""
    values = dict(zip(averaged.names, numbers, strict=True))
    lines = []
    for name, one in averaged.averages if averaged.smearing is None else ():
        lines += ["", *_function(one, f"{name}_{k}", *one.counts(x, values), values), ""]
    if averaged.smearing is not None:
        sharp = Averaged(averaged.formula, averaged.averages, averaged.variable)
        made = averaged_lines(sharp, k, averaged.smearing.places(x, values)[0].ravel(), numbers[: len(sharp.names)])
        made = [line.replace(f"def part{k}(", f"def sharp{k}(") for line in made]
        return [*made, *_smeared(averaged.smearing, k, averaged.names, sharp.names)]
    lines += ["", f"def part{k}({', '.join(['x', *averaged.names])}):"]
    lines += [f"    {name} = {name}_{k}({', '.join(['x', *one.names])})" for name, one in averaged.averages]
    *lets, value = python(parse(averaged.formula, (averaged.variable,)))
    return [*lines, *(f"    {line}" for line in lets), f"    return {value}", ""]


def _smeared(smearing: Smearing, k: int, names: Sequence[str], sharp: Sequence[str]) -> list[str]:
    """A function that averages the one before it over the q that reach each point."""
    lines = ["", f"def part{k}({', '.join(['x', *names])}):"]
    if smearing.kind == "slit":
        lines += ["    t, w = gauss(60)", "    at = np.sqrt(x[:, None]**2 + (slit*t**2)**2)", "    w = 2*w*t"]
    else:
        lines += [
            "    t, w = np.polynomial.hermite_e.hermegauss(31)", "    w = w/w.sum()",
            "    at = np.abs(x[:, None] + np.sqrt((resolution*x[:, None])**2 + resolution_floor**2)*t)",
        ]  # fmt: skip
    return [*lines, f"    return sharp{k}({', '.join(['at.ravel()', *sharp])}).reshape(at.shape) @ w", ""]


def _function(one: Average, name: str, sizes: int, turns: int, values: dict[str, float]) -> list[str]:
    lines = [f"def {name}({', '.join(['q', *one.names])}):"]
    if one.even:
        lines.append(f"    turn, v = (part[{turns}:] for part in np.polynomial.legendre.leggauss({2 * turns}))")
    else:
        lines.append(f"    turn, v = gauss({turns})" if one.turn else "    turn, v = np.zeros(1), np.ones(1)")
    if one.distribution == "boxcar":
        m, s = one.size, one.spread
        lines += [f"    r, w = gauss({sizes})", f"    r = np.abs({m})*(1 + np.sqrt(3)*np.abs({s})*(2*r - 1))"]
    elif (frame := one.frame(values)) is not None:
        lines.append(f"    r, w = gauss({sizes})")
        if frame.logarithmic:
            lines.append(f"    width = np.log({frame.high!r}/{frame.low!r})")
            lines += [f"    r = {frame.low!r}*np.exp(width*r)", "    w = w*width*r"]
        else:
            span = frame.high - frame.low
            lines += [f"    r, w = {frame.low!r} + {span!r}*r, w*{span!r}"]
        m, s = f"np.abs({one.size})", f"np.abs({one.spread})"
        lines.append(f"    w = w*{_DENSITIES[one.distribution].format(m=m, s=s)}")
    else:
        lines.append("    w = np.ones(1)")
    if one.distribution:
        lines.append(f"    {one.size} = r")
    *lets, norm = python(parse(one.norm, ()))
    lines += [*(f"    {line}" for line in lets), f"    bottom = np.sum(w*({norm})*np.ones(w.size))"]
    lines += ["    turn, v = turn[:, None], v[:, None]", "    top = []", "    for x in q:"]
    *lets, inside = python(parse(one.integrand, ("x", "turn")))
    lines += [*(f"        {line}" for line in lets), f"        top.append(np.sum(v*w*({inside})))"]
    return [*lines, "    return np.array(top)/bottom"]
