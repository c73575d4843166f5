"""Ways of sharing set side by side: does it pay that a parameter is each curve's own?"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from curvesieve.core.errors import InputError
from curvesieve.core.fitting.joint_result import JointResult
from curvesieve.core.fitting.sharing import Sharing
from curvesieve.core.study.jointly import known_values, members_of, sharing_of
from curvesieve.core.study.study import Study

OWN, CHOSEN = "each its own", "as chosen"


@dataclass(frozen=True, eq=False)
class WayOfSharing:
    """A joint fit of one way of sharing; `f` and `p` are of the F-test against the way that is chosen, or against each
    its own for that one. `problem` tells why there is none."""

    label: str
    result: JointResult | None = None
    problem: str = ""
    against: str = ""
    f: float | None = None
    p: float | None = None


def compare_ways(study: Study, family_id: str, stop: Callable[[], None] = lambda: None) -> tuple[WayOfSharing, ...]:
    """The way that is chosen, each parameter each curve's own, and the chosen one with one parameter let go, in turn.

    A small p says that the richer of the two is worth its parameters. `stop` may raise. Raises InputError as
    `members_of` does, and where nothing is shared.
    """
    from curvesieve.core.fitting.family import fit_jointly, starts_of

    chosen = sharing_of(study.family(family_id))
    if not chosen.shared and not chosen.laws:
        raise InputError("No parameter is shared yet; say of one that it is one for all, or on a law.")
    members = members_of(study, family_id, lambda share: stop())
    known = [known_values(study, id_) for id_ in members.ids]
    starts = starts_of(members.model, members.curves, members.labels, known, stop)
    tried = {CHOSEN: chosen, OWN: Sharing()}
    names = (*chosen.shared, *chosen.laws)
    if len(names) > 1:
        tried |= {f"{name} each its own": _without(chosen, name) for name in names}
    rows: dict[str, WayOfSharing] = {}
    for label, sharing in tried.items():
        stop()
        try:
            found = fit_jointly(
                members.model, members.curves, members.labels, members.conditions, sharing, starts, None, stop
            )
            rows[label] = WayOfSharing(label, found, "" if found.converged else found.message)
        except InputError as error:
            rows[label] = WayOfSharing(label, problem=str(error))
    return tuple(_tested(row, rows) for row in rows.values())


def _without(sharing: Sharing, name: str) -> Sharing:
    laws: Mapping[str, str] = {one: law for one, law in sharing.laws.items() if one != name}
    return Sharing(tuple(one for one in sharing.shared if one != name), laws)


def _tested(row: WayOfSharing, rows: dict[str, WayOfSharing]) -> WayOfSharing:
    """F = (S₁ − S₂)/(k₂ − k₁) / (S₂/(n − k₂)) for nested models (common practice)."""
    from scipy.special import fdtrc

    other = rows[OWN if row.label == CHOSEN else CHOSEN]
    if row.result is None or other.result is None or not row.result.converged or not other.result.converged:
        return row
    few, many = sorted((row.result, other.result), key=lambda one: one.count)
    more, dof = many.count - few.count, many.statistics.n - many.count
    if more < 1 or dof < 1 or many.statistics.least <= 0:
        return row
    f = max((few.statistics.least - many.statistics.least) / more / (many.statistics.least / dof), 0.0)
    return replace(row, against=other.label, f=f, p=float(fdtrc(more, dof, f)))
