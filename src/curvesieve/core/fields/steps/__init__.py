"""Steps of a field's sieve, each a declaration; see `base.FieldStep`."""

from curvesieve.core.fields.steps.base import (
    FieldPassed,
    FieldSlot,
    FieldStep,
    FieldTrail,
    parse_field_step,
    pass_points,
    registered_field_steps,
)

__all__ = [
    "FieldPassed",
    "FieldSlot",
    "FieldStep",
    "FieldTrail",
    "parse_field_step",
    "pass_points",
    "registered_field_steps",
]
