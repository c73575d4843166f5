"""What a fit of a family made."""

from __future__ import annotations

from dataclasses import dataclass, field

from curvesieve.core.study.document import FitEntry
from curvesieve.core.study.family_parts import JointEntry, Way


@dataclass(frozen=True)
class FamilyFit:
    """What a fit of a family made: the fits by curve, the joint one where it was one, why some curves have none.

    `found_anew` are curves whose neighbour's values led nowhere, so that starts were found in their own data;
    `not_carried` are those that fit so much worse than their neighbour that their values were not handed on.
    """

    way: Way
    fits: dict[str, FitEntry]
    problems: dict[str, str] = field(default_factory=dict)
    joint: JointEntry | None = None
    found_anew: tuple[str, ...] = ()
    not_carried: tuple[str, ...] = ()
    along_from: str = ""
