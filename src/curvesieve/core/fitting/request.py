"""What is asked of a fit beside its formula and its points, as one value."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field

Bounds = Mapping[str, tuple[float | None, float | None]]


@dataclass(frozen=True)
class Request:
    """Where a fit begins and what limits it.

    `start` maps parameters to where the fit begins; `hold` keeps some there, `bounds` limits them (an end of None is
    open), `ties` computes them from others (``{"b": "2*a"}``). `loss` is one of `problem.LOSSES`, `weights` one of
    `problem.WEIGHTS`. The covariance is multiplied by the scatter found unless `scaled` is False.
    """

    start: Mapping[str, float] = field(default_factory=dict)
    hold: Collection[str] = ()
    bounds: Bounds = field(default_factory=dict)
    ties: Mapping[str, str] = field(default_factory=dict)
    loss: str = "squared"
    weights: str = "u"
    scaled: bool = True
