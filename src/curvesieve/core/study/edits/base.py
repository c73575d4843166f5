"""What all edits are made of: a new entry in the place of an old one."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Collection

from curvesieve.core.study.document import CurveEntry, Family
from curvesieve.core.study.study import Study

Edit = Callable[[Study], Study]


def new_id(kind: str) -> str:
    """A short name that is unique within any study."""
    return f"{kind}-{uuid.uuid4().hex[:10]}"


def free_name(name: str, taken: Collection[str], nothing: str) -> str:
    """A name, with a number behind it where others have it; `nothing` in the place of an empty one."""
    wanted = made = name.strip() or nothing
    count = 1
    while made in taken:
        count += 1
        made = f"{wanted} {count}"
    return made


def change_curve(curve_id: str, change: Callable[[CurveEntry], CurveEntry]) -> Edit:
    """An edit of one curve's entry."""

    def edit(study: Study) -> Study:
        curves = tuple(change(curve) if curve.id == curve_id else curve for curve in study.document.curves)
        return study.with_document(curves=curves)

    return edit


def change_family(study: Study, family: Family, changes: dict[str, object]) -> Study:
    """The study with some fields of a family changed."""
    families = tuple(
        other.model_copy(update=changes) if other.id == family.id else other for other in study.document.families
    )
    return study.with_document(families=families)
