"""How curves that are fitted together share the parameters of their model."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

CONDITION = "c"
"""What a law calls the condition."""


@dataclass(frozen=True)
class Sharing:
    """How a family shares a model's parameters: those in `shared` are one for all, those in `laws` follow a formula in
    ``c``, the condition, whose own parameters are fitted; the others are each curve's own."""

    shared: tuple[str, ...] = ()
    laws: Mapping[str, str] = field(default_factory=dict)
