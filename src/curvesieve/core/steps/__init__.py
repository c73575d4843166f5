"""Curve -> Passed(curve, caught): one small frozen class a step, grouped by intent.

A new step is a class in one of the intent modules; naming its module here registers it.
"""

from curvesieve.core.steps import axis, bridge, combine, level, repair, smooth, transform, trim
from curvesieve.core.steps.base import Caught, Others, Passed, Step, StepField, parse_step, registered_steps
from curvesieve.core.steps.sieve import Sieve, Slot, Trail

__all__ = [
    "Caught", "Others", "Passed", "Sieve", "Slot", "Step", "StepField", "Trail", "axis", "bridge", "combine", "level",
    "parse_step", "registered_steps", "repair", "smooth", "transform", "trim",
]  # fmt: skip
