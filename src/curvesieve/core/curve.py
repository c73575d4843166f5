"""The curve: what falls through a sieve and what a model is fitted to."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field, replace
from enum import IntFlag
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from curvesieve.core.errors import InputError, counted

Floats = NDArray[np.float64]


class Flag(IntFlag):
    """What happened to a point; 0 is a measured point as it was recorded."""

    MEASURED = 0
    PATCHED = 1
    """A step wrote its y."""
    LEFT_OUT = 2
    """The user excluded it from fits and readings."""


def frozen(values: ArrayLike, dtype: Any = np.float64) -> NDArray[Any]:
    """A read-only one-dimensional array; shares memory when the argument already is one.

    Of shape (n,), dtype as asked.
    """
    array = np.asarray(values, dtype=dtype)
    if array.flags.writeable:
        array = array.copy() if array is values else array
        array.setflags(write=False)
    return array


@dataclass(frozen=True, eq=False)
class Curve:
    """y against x with, where known, the standard uncertainty u of y. Immutable.

    `x`, `y`, `u` are float64 arrays of shape (n,), finite, in the units named beside them; `flags` is uint8 of
    the same shape (see `Flag`). x may repeat or go backwards: steps that need an order say so.
    Raises InputError when the shapes differ or a value is not a number.
    """

    x: Floats
    y: Floats
    u: Floats | None = None
    x_label: str = "x"
    y_label: str = "y"
    x_unit: str = ""
    y_unit: str = ""
    flags: NDArray[np.uint8] = field(default=None)  # type: ignore[arg-type]  # filled below

    def __post_init__(self) -> None:
        n = np.size(self.x)
        flags = np.zeros(n, np.uint8) if self.flags is None else self.flags
        arrays: dict[str, NDArray[Any]] = {"x": self.x, "y": self.y, "flags": flags}
        if self.u is not None:
            arrays["u"] = self.u
        for name, values in arrays.items():
            array = frozen(values, np.uint8 if name == "flags" else np.float64)
            if array.ndim != 1 or array.size != n:
                raise InputError(f"{name} has the shape {array.shape}, x has {n} values; give one {name} for each x.")
            if name != "flags" and not np.isfinite(array).all():
                first = int(np.flatnonzero(~np.isfinite(array))[0]) + 1
                raise InputError(f"{name} is not a number at point {first}; leave such points out first.")
            object.__setattr__(self, name, array)
        if self.u is not None and n and float(self.u.min()) <= 0:
            first = int(np.flatnonzero(self.u <= 0)[0]) + 1
            raise InputError(f"u must be above zero, but is {self.u[first - 1]:g} at point {first}.")

    def __len__(self) -> int:
        return int(self.x.size)

    def take(self, index: NDArray[Any] | slice) -> Curve:
        """The curve of the points that an index or a mask selects.

        `index` has shape (n,), as a mask, or lists places from 0.
        """
        u = None if self.u is None else self.u[index]
        return replace(self, x=self.x[index], y=self.y[index], u=u, flags=self.flags[index])

    def with_y(self, y: ArrayLike, u: Floats | None, flags: NDArray[np.uint8]) -> Curve:
        """The same x with another y, u and flags. All of shape (n,), in the units of the curve."""
        return replace(self, y=frozen(y), u=u, flags=flags)

    @cached_property
    def used(self) -> Curve:
        """The points that are not left out: what steps compute from, and what others take from this curve."""
        out = (self.flags & Flag.LEFT_OUT) != 0
        return self.take(~out) if out.any() else self

    @cached_property
    def is_sorted(self) -> bool:
        """Whether x never goes backwards."""
        return bool(np.all(np.diff(self.x) >= 0))

    @cached_property
    def digest(self) -> str:
        """A hash of all values, flags and units: two curves with the same digest are the same curve."""
        sha = hashlib.sha256(f"{self.x_unit}|{self.y_unit}|{len(self)}|{self.u is None}".encode())
        for array in (self.x, self.y, self.flags, *(() if self.u is None else (self.u,))):
            sha.update(np.ascontiguousarray(array).data)
        return sha.hexdigest()

    @cached_property
    def oddities(self) -> tuple[str, ...]:
        """Sentences about an x that repeats or turns back: worth knowing, no reason to refuse the curve."""
        steps = np.diff(self.x)
        found = []
        if (steps > 0).any() and (steps < 0).any():
            moving = np.sign(steps[steps != 0])
            turn = np.flatnonzero(steps != 0)[np.flatnonzero(moving != moving[0])[0]] + 1
            found.append(f"{self.x_label} is not monotonic: it turns back after point {turn}")
        if (steps == 0).any():
            times, where = int((steps == 0).sum()), int(np.flatnonzero(steps == 0)[0]) + 2
            found.append(f"{self.x_label} repeats its value {counted(times, 'time')}, first at point {where}")
        return tuple(found)
