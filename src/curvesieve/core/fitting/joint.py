"""The problem of one model for many curves: parameters of each curve's own, shared by all, or on a law in a condition.

How it is solved stands in `arrow_steps`.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted, nearest
from curvesieve.core.fitting.arrow import Arrow, Limits
from curvesieve.core.fitting.batch import Alike, alike_of
from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.quick import gram
from curvesieve.core.fitting.sharing import CONDITION, Sharing
from curvesieve.core.formula import Compiled, compile_formula, parse


@dataclass(frozen=True, eq=False)
class _Law:
    """A law of one parameter: its place among the border's numbers, and its formula compiled."""

    name: str
    compiled: Compiled
    names: tuple[str, ...]
    first: int

    @property
    def places(self) -> slice:
        return slice(self.first, self.first + len(self.names))


class JointProblem:
    """Problems of several curves with the same model, and how they share its parameters; `labels` name the curves.

    Raises InputError where the models differ, where a name is no free parameter, or for what such a fit cannot do.
    """

    def __init__(
        self,
        members: Sequence[Problem],
        conditions: Sequence[float | None] | None,
        sharing: Sharing,
        labels: Sequence[str] = (),
    ) -> None:
        if not members:
            raise InputError("There is no curve to fit; a family needs one at the least.")
        self.members, self.sharing = tuple(members), sharing
        first = members[0]
        names = first.model.names
        self.labels = tuple(labels) or tuple(f"curve {k + 1}" for k in range(len(members)))
        for label, one in zip(self.labels, members, strict=True):
            if one.model.pieces != first.model.pieces or not np.array_equal(one.free, first.free):
                raise InputError(
                    f"{_begun(label)} has another model than {self.labels[0]}; curves are fitted jointly by one."
                )
            if one.loss != "squared":
                raise InputError(f"A joint fit makes squares least, and {label} asks for the loss {one.loss}.")
            if (one.u is None) != (first.u is None):
                bare, other = (label, self.labels[0]) if one.u is None else (self.labels[0], label)
                raise InputError(
                    f"{_begun(bare)} has no u and {other} has; give it one, or let all points weigh the same."
                )
        self.free = [names[i] for i in first.free]
        mapped = (*sharing.shared, *sharing.laws)
        for name in mapped:
            if name not in self.free:
                where = "is held or tied" if name in names else "is none of the model"
                raise InputError(
                    f"{name} {where}, and cannot be shared; free are {', '.join(self.free)}"
                    f"{nearest(name, self.free) if name not in names else ''}."
                )
        if len(set(mapped)) < len(mapped):
            raise InputError("A parameter is shared, or follows a law: not both, and once.")
        self.own_names = tuple(name for name in self.free if name not in mapped)
        self.conditions = self._conditions(conditions)
        self.laws = self._laws(len(sharing.shared))
        self.mapped_names = mapped
        self.border_names = (
            *sharing.shared, *(f"{law.name}({name})" for law in self.laws for name in law.names)
        )  # fmt: skip
        self.own_places = [int(first.free[self.free.index(name)]) for name in self.own_names]
        self.mapped_places = [int(first.free[self.free.index(name)]) for name in mapped]
        self.limits = self._limits()

    def _conditions(self, given: Sequence[float | None] | None) -> Floats:
        if given is None:
            if self.sharing.laws:
                raise InputError("A law in the condition needs the condition of each curve.")
            return np.zeros(len(self.members))
        made = np.array([math.nan if one is None else float(one) for one in given])
        if made.size != len(self.members):
            raise InputError(f"There are {counted(len(self.members), 'curve')} and {counted(made.size, 'condition')}.")
        missing = np.flatnonzero(~np.isfinite(made))
        if self.sharing.laws and missing.size:
            raise InputError(
                f"{_begun(self.labels[int(missing[0])])} has no condition, and a law in it needs one; "
                "type it, or leave the curve out."
            )
        return made

    def _laws(self, first: int) -> tuple[_Law, ...]:
        made: list[_Law] = []
        for name, text in self.sharing.laws.items():
            formula = parse(text, (CONDITION,))
            if not formula.parameters:
                raise InputError(f"The law {name} = {text} has no parameter that could be fitted.")
            made.append(_Law(name, compile_formula(formula), formula.parameters, first))
            first += len(formula.parameters)
        return tuple(made)

    def _limits(self) -> Limits:
        """What is shared keeps to the limits of every curve; what a law gives is looked at in the end."""
        low = np.array([one.lower for one in self.members]).reshape(len(self.members), -1)
        high = np.array([one.upper for one in self.members]).reshape(len(self.members), -1)
        own = [self.free.index(name) for name in self.own_names]
        shared = [self.free.index(name) for name in self.sharing.shared]
        rest = len(self.border_names) - len(shared)
        return Limits(
            low[:, own],
            high[:, own],
            np.concatenate([low[:, shared].max(axis=0), np.full(rest, -math.inf)]),
            np.concatenate([high[:, shared].min(axis=0), np.full(rest, math.inf)]),
        )

    def beyond(self, border: Floats) -> tuple[str, str] | None:
        """The first parameter that a law takes beyond its limits, and the label of the curve; None where all keep."""
        values = self.mapped(border)[0]
        for row, law in enumerate(self.laws, start=len(self.sharing.shared)):
            place = self.free.index(law.name)
            for k, one in enumerate(self.members):
                if not one.lower[place] <= values[row, k] <= one.upper[place]:
                    return law.name, self.labels[k]
        return None

    @property
    def count(self) -> int:
        """How many numbers are fitted in all."""
        return len(self.members) * len(self.own_names) + len(self.border_names)

    # -- values and equations -------------------------------------------------------------------------

    def mapped(self, border: Floats) -> tuple[Floats, Floats]:
        """The values of the shared parameters and of those on laws at each curve, and their slopes against the border.

        Of shapes (s, m) and (m, s, b).
        """
        m, plain = len(self.members), len(self.sharing.shared)
        values = np.empty((len(self.mapped_names), m))
        slopes = np.zeros((m, len(self.mapped_names), border.size))
        for k in range(plain):
            values[k] = border[k]
            slopes[:, k, k] = 1.0
        for k, law in enumerate(self.laws, start=plain):
            with np.errstate(all="ignore"):
                value, *each = law.compiled.both([self.conditions], [float(one) for one in border[law.places]])
            values[k] = value
            for j, slope in enumerate(each):
                slopes[:, k, law.first + j] = slope
        return values, slopes

    def full(self, own: Floats, border: Floats) -> Floats:
        """All parameters of each curve, of shape (parameters, m)."""
        p = np.stack([one.start for one in self.members], axis=1)
        p[self.own_places] = own.T
        p[self.mapped_places] = self.mapped(border)[0]
        if self.members[0].ties.tied:
            for k, one in enumerate(self.members):
                p[:, k] = one.ties.fill(p[:, k].copy())
        return p

    def arrow(self, own: Floats, border: Floats) -> Arrow | None:
        """The equations at a place of shapes (m, o) and (b,); None where the model has no value there."""
        with np.errstate(all="ignore"):
            sums = self._products(self.full(own, border))
        if not np.isfinite(sums).all():
            return None
        slopes = self.mapped(border)[1]
        if not np.isfinite(slopes).all():
            return None
        o = [self.free.index(name) for name in self.own_names]
        s = [self.free.index(name) for name in self.mapped_names]
        shared = sums[:, s][:, :, s]
        return Arrow(
            sums[:, o][:, :, o],
            np.einsum("mos,msb->mob", sums[:, o][:, :, s], slopes),
            np.einsum("msb,mst,mtd->bd", slopes, shared, slopes),
            sums[:, o, -1],
            np.einsum("msb,ms->b", slopes, sums[:, s, -1]),
            sums[:, -1, -1],
        )

    def factors(self, own: Floats, border: Floats) -> Floats | None:
        """Triangles of the curves' columns (own, border's, residual), of shape (m, o + b + 1, o + b + 1).

        By QR of each curve's columns: what normal equations lose of parameters that hang together is kept. None where
        the model has no value.
        """
        p, slopes = self.full(own, border), self.mapped(border)[1]
        o = [self.free.index(name) for name in self.own_names]
        s = [self.free.index(name) for name in self.mapped_names]
        width = len(o) + border.size + 1
        made = np.zeros((len(self.members), width, width))
        for k, one in enumerate(self.members):
            with np.errstate(all="ignore"):
                stacked = one.stacked(p[one.free, k])
                columns = np.concatenate([stacked[o], slopes[k].T @ stacked[s], stacked[-1:]])
            if not np.isfinite(columns).all():
                return None
            triangle = np.asarray(np.linalg.qr(columns.T, mode="r"))
            made[k, : triangle.shape[0]] = triangle
        return made

    @cached_property
    def _alike(self) -> Alike | None:
        """All curves as one, where they have one formula without ties; else they go one by one."""
        first = self.members[0]
        alike = all(one.model is first.model and not one.ties.tied and len(one.rows) == 1 for one in self.members)
        return alike_of(self.members) if alike else None

    def _products(self, p: Floats) -> Floats:
        """Sums of products of the free columns and the residual of each curve, of shape (m, free + 1, free + 1)."""
        if self._alike is None:
            return np.array([gram(one.stacked(p[one.free, k])) for k, one in enumerate(self.members)])
        return self._alike.sums(p.T)


def _begun(label: str) -> str:
    """A label at the beginning of a sentence."""
    return label[:1].upper() + label[1:] if label.startswith("curve ") else label
