"""What a family has beside its curves: how its parameters are shared, what its joint fit found, how it is looked at."""

from __future__ import annotations

from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

from curvesieve.core.fitting.joint_result import JointResult
from curvesieve.core.reading import ReadingKey

Stand = Literal["laid over", "lifted", "one panel each", "as a map", "gallery"]
STANDS: tuple[Stand, ...] = get_args(Stand)
Normal = Literal["as they are", "by maximum", "by area", "by a band", "at a point"]
NORMALS: tuple[Normal, ...] = get_args(Normal)
Way = Literal["", "each", "along", "jointly"]
"""How the curves of a family were fitted last as one: each by itself, carried along, jointly; or never."""
LINE = "at_0 + slope*c"
"""The law that goes through readings when nothing else is said; c is the condition."""


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)


class Shared(_Part):
    """A parameter that a joint fit shares: one for all, or on a law, a formula in ``c``, the condition."""

    name: str
    law: str = ""


class JointEntry(_Part):
    """What a joint fit found for what is shared, and the curves that took part; their own results stand with them.

    `key` is a hash of all that it was made from; see `Study.joint_key`.
    """

    key: str = Field(pattern=r"^[0-9a-f]{64}$")
    curves: tuple[str, ...]
    result: JointResult


class Guide(_Part):
    """An upright line at a typed x, or at a reading of a curve that it follows."""

    x: float | None = None
    curve: str = ""
    key: ReadingKey | None = None


class TrendEntry(_Part):
    """A plot of a column of the ledger against the condition, with a law in ``c`` through it; an empty one: none."""

    key: ReadingKey
    unit: str = ""
    law: str = LINE


class FamilyLook(_Part):
    """How a family stands on its bench. Numbers are in the units of the curves as they passed.

    `lift` is the offset from curve to curve (None: found); `lifted` are curves that were lifted by hand, by so much
    more. `low` and `high` are the band, or `low` the place, that curves are made alike at. `hidden` are not shown.
    """

    stand: Stand = "laid over"
    recorded: bool = False
    fits: bool = False
    lift: float | None = None
    lifted: tuple[tuple[str, float], ...] = ()
    normal: Normal = "as they are"
    low: float | None = None
    high: float | None = None
    own_y: bool = False
    x_log: bool = False
    y_log: bool = False
    guides: tuple[Guide, ...] = ()
    hidden: tuple[str, ...] = ()
    beside: tuple[str, ...] = ()
