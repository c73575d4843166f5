"""The shelf at the left: families and their curves."""

from curvesieve.app.panels.shelf.shelf import Shelf

__all__ = ["Shelf"]
