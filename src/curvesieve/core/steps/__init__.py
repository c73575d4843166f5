"""Curve -> Passed(curve, caught): one small frozen class a step, grouped by intent.

A new step is a class in one of the intent modules; `base.MODULES` names them. They are loaded when a step is first
asked for that is not known yet, as most sessions use few of them.
"""

from curvesieve.core.steps.base import Caught, Others, Passed, Step, parse_step, registered_steps
from curvesieve.core.steps.sieve import Sieve, StepSlot, Trail

__all__ = [
    "Caught", "Others", "Passed", "Sieve", "Step", "StepSlot", "Trail", "parse_step", "registered_steps",
]  # fmt: skip
