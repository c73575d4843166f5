"""One model fitted to many curves at once: parameters of each curve's own, shared by all, or on a law in the condition.

The normal equations have the shape of an arrow: a block a curve, and a border for what is shared (shared parameters and
those of laws). Each block is solved by itself and the border from what they leave (the Schur complement), so that the
work grows in proportion to the curves. Marquardt steps on scaled columns, as in `quick`; no bounds, squared loss.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted, nearest
from curvesieve.core.fitting.batch import Alike, alike_of
from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.quick import gram
from curvesieve.core.formula import Compiled, compile_formula, parse

CONDITION = "c"
"""What a law calls the condition."""
_STEPS, _LAST = 200, 4
_FIRST, _MOST_DAMPING = 1e-3, 1e12
_STEP, _GAIN, _RIGHT = 1e-9, 1e-15, 1e-6
"""The steps end when one is so small against the parameters, or promises so little; it is a minimum where no column of
the Jacobian is more than so much along the residual."""
_RANK = 1e-12
Watch = Callable[[Floats], None]


@dataclass(frozen=True)
class Sharing:
    """How a family shares a model's parameters: those in `shared` are one for all, those in `laws` follow a formula in
    ``c``, the condition, whose own parameters are fitted; the others are each curve's own."""

    shared: tuple[str, ...] = ()
    laws: Mapping[str, str] = field(default_factory=dict)


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


@dataclass(frozen=True, eq=False)
class Arrow:
    """The normal equations at a place, of m curves with o parameters of their own and b in the border.

    `own` is (m, o, o), `across` (m, o, b), `border` (b, b); `own_down` (m, o) and `border_down` (b,) are the gradients;
    `squares` are the sums of squares of the curves, (m,).
    """

    own: Floats
    across: Floats
    border: Floats
    own_down: Floats
    border_down: Floats
    squares: Floats

    @property
    def cost(self) -> float:
        """The sum of squares of all curves."""
        return float(self.squares.sum())


@dataclass(frozen=True, eq=False)
class Place:
    """Values of the curves' own parameters, (m, o), and of the border, (b,), with the equations there."""

    own: Floats
    border: Floats
    arrow: Arrow
    iterations: int = 0
    converged: bool = False
    message: str = ""


class JointProblem:
    """Problems of several curves with the same model, and how they share its parameters.

    Raises InputError where the models differ, where a name is no free parameter, or for what such a fit cannot do.
    """

    def __init__(self, members: Sequence[Problem], conditions: Sequence[float] | None, sharing: Sharing) -> None:
        if not members:
            raise InputError("There is no curve to fit; a family needs one at the least.")
        self.members, self.sharing = tuple(members), sharing
        first = members[0]
        names = first.model.names
        for k, one in enumerate(members, start=1):
            if one.model.names != names or not np.array_equal(one.free, first.free):
                raise InputError(
                    f"Curve {k} has other parameters than the first; curves are fitted jointly by one model."
                )
            if one.loss != "squared":
                raise InputError(f"A joint fit makes squares least, and curve {k} asks for the loss {one.loss}.")
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

    def _conditions(self, given: Sequence[float] | None) -> Floats:
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
                f"Curve {int(missing[0]) + 1} has no condition, and a law in it needs one; type it, or leave it out."
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

    @property
    def count(self) -> int:
        """How many numbers are fitted in all."""
        return len(self.members) * len(self.own_names) + len(self.border_names)

    # -- values and equations -------------------------------------------------------------------------

    def mapped(self, border: Floats) -> tuple[Floats, Floats]:
        """The values of the shared parameters and of those on laws at each curve, (s, m), and their slopes against the
        border, (m, s, b)."""
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
        """The equations at a place; None where the model has no value there."""
        with np.errstate(all="ignore"):
            sums = self._grams(self.full(own, border))
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

    @cached_property
    def _alike(self) -> Alike | None:
        """All curves as one, where they have one formula without ties; else they go one by one."""
        first = self.members[0]
        alike = all(one.model is first.model and not one.ties.tied and len(one.rows) == 1 for one in self.members)
        return alike_of(self.members) if alike else None

    def _grams(self, p: Floats) -> Floats:
        """Sums of products of the free columns and the residual of each curve, of shape (m, free + 1, free + 1)."""
        free = self.members[0].free
        if self._alike is None:
            return np.array([gram(one.stacked(p[one.free, k])) for k, one in enumerate(self.members)])
        chosen = [*free.tolist(), len(p)]
        return np.asarray(self._alike.sums(p.T)[:, chosen][:, :, chosen])


@dataclass(frozen=True, eq=False)
class Solved:
    """Steps of the arrow's equations: of the curves' own parameters, (m, o), and of the border, (b,)."""

    own: Floats
    border: Floats


def _scales(arrow: Arrow) -> tuple[Floats, Floats]:
    """Lengths of the columns: of each curve's own, (m, o), and of the border's, (b,)."""
    return np.sqrt(np.einsum("moo->mo", arrow.own)), np.sqrt(np.diag(arrow.border))


def step_of(arrow: Arrow, damping: float) -> Solved | None:
    """The step downhill at a damping; None where the equations cannot be solved."""
    long, wide = _scales(arrow)
    if not (long > 0).all() or not (wide > 0).all():
        return None
    own = arrow.own / (long[:, :, None] * long[:, None, :])
    across = arrow.across / (long[:, :, None] * wide)
    border = arrow.border / np.outer(wide, wide)
    o, b = own.shape[1], wide.size
    own = own + damping * np.eye(o)
    border = border + damping * np.eye(b)
    down, shared = arrow.own_down / long, arrow.border_down / wide
    try:
        solved = np.linalg.solve(own, np.concatenate([across, down[:, :, None]], axis=2)) if o else across
        left = border - np.einsum("mob,mod->bd", across, solved[:, :, :b]) if o else border
        rest = shared - np.einsum("mob,mo->b", across, solved[:, :, b]) if o else shared
        moved = np.linalg.solve(left, rest) if b else np.zeros(0)
    except np.linalg.LinAlgError:
        return None
    each = solved[:, :, b] - solved[:, :, :b] @ moved if o else np.zeros((own.shape[0], 0))
    made = Solved(-each / long, -moved / wide)
    return made if np.isfinite(made.own).all() and np.isfinite(made.border).all() else None


def solve_jointly(problem: JointProblem, own: Floats, border: Floats, watch: Watch | None = None) -> Place:
    """The place where the steps come to rest from a start. `own` is (m, o), `border` (b,).

    `watch` is given all parameters, of shape (parameters, m), at each accepted place, and may raise. Raises InputError
    where the model has no value at the start.
    """
    arrow = problem.arrow(own, border)
    if arrow is None:
        raise InputError("The model has no value at the start of some curve; give other starts.")
    damping, growth, iterations = _FIRST, 2.0, 0
    last = False
    while iterations < _STEPS:
        iterations += 1
        if watch is not None:
            watch(problem.full(own, border))
        moved = step_of(arrow, damping)
        after = None if moved is None else problem.arrow(own + moved.own, border + moved.border)
        if moved is None and damping >= _MOST_DAMPING:
            break
        if moved is None or after is None or after.cost > arrow.cost * (1 + 1e-12):
            damping, growth = damping * growth, growth * 2
            if damping > _MOST_DAMPING:
                break
            continue
        promised = -float(np.sum(arrow.own_down * moved.own) + arrow.border_down @ moved.border)
        size = max(_against(moved.own, own), _against(moved.border, border))
        gained = arrow.cost - after.cost
        own, border, arrow = own + moved.own, border + moved.border, after
        damping, growth = (damping / 10 if gained > promised / 4 else damping), 2.0
        if size <= _STEP or promised <= _GAIN * arrow.cost:
            last = True
            break
    if last:
        own, border, arrow = _polished(problem, own, border, arrow)
    return _judged(problem, own, border, arrow, iterations)


def _against(step: Floats, values: Floats) -> float:
    """The largest step against the size of what it moves."""
    if not step.size:
        return 0.0
    scale = np.maximum(np.abs(values), 1e-300)
    return float(np.max(np.abs(step) / scale))


def _polished(problem: JointProblem, own: Floats, border: Floats, arrow: Arrow) -> tuple[Floats, Floats, Arrow]:
    """A few steps without damping, which take the parameters to rounding."""
    for _ in range(_LAST):
        moved = step_of(arrow, 0.0)
        after = None if moved is None else problem.arrow(own + moved.own, border + moved.border)
        if moved is None or after is None or after.cost > arrow.cost * (1 + 1e-13):
            break
        own, border, arrow = own + moved.own, border + moved.border, after
    return own, border, arrow


def _judged(problem: JointProblem, own: Floats, border: Floats, arrow: Arrow, iterations: int) -> Place:
    """The place with a word on whether it is a minimum."""
    long, wide = _scales(arrow)
    dead = [f"{problem.own_names[j]} of curve {i + 1}" for i, j in zip(*np.nonzero(~(long > 0)), strict=True)]
    dead += [problem.border_names[k] for k in np.flatnonzero(~(wide > 0))]
    if dead:
        more = f" and {len(dead) - 3} more" if len(dead) > 3 else ""
        said = f"{', '.join(dead[:3])}{more} {'has' if len(dead) == 1 else 'have'} no effect. Hold or leave out."
        return Place(own, border, arrow, iterations, False, said)
    tiny = max(arrow.cost, 1e-300)
    along_own = np.abs(arrow.own_down) / (long * np.sqrt(np.maximum(arrow.squares, 1e-24 * tiny))[:, None])
    along = np.abs(arrow.border_down) / (wide * math.sqrt(tiny))
    worst = max(float(along_own.max(initial=0.0)), float(along.max(initial=0.0)))
    if worst <= _RIGHT:
        return Place(own, border, arrow, iterations, True, f"converged in {counted(iterations, 'step')}")
    said = "Did not converge: the steps stopped where the fit could still improve. Try other starts."
    return Place(own, border, arrow, iterations, False, said)
