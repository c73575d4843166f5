"""The canvas: what is measured, what passes, what is caught, and the model over it."""

from curvesieve.app.benches.curve.canvas.canvas import Canvas

__all__ = ["Canvas"]
