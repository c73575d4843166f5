"""How a chart was read, in words: where its picture is from, and how well its axes are known."""

from __future__ import annotations

from curvesieve.core.errors import InputError, counted
from curvesieve.core.tracing.axes import Axis
from curvesieve.core.tracing.parts import TraceSpec
from curvesieve.core.tracing.values import frame_of


def told_of(trace: TraceSpec) -> str:
    """Such as ``from report 7, figure 3; axes by 4 marks (x, log10, within 0.12 px) and 6 (y, linear, …)``."""
    origin = f"from {trace.origin}" if trace.origin else "whose origin is not said"
    try:
        frame = frame_of(trace)
    except InputError:
        return f"{origin}; its axes are not calibrated"
    x, y = (_axis(name, axis) for name, axis in (("x", frame.x), ("y", frame.y)))
    return f"{origin}; axes by {counted(len(frame.x.marks), 'mark')} ({x}) and {len(frame.y.marks)} ({y})"


def _axis(name: str, axis: Axis) -> str:
    within = f", within {abs(axis.misses).max():.2g} px" if len(axis.marks) > 2 else ""
    return f"{name}, {axis.scale}{within}"
