"""Peaks of a curve: found, made into a model, counted, and fitted in one go."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from curvesieve.core.peaks.finding import Found, FoundPeak, find_peaks

if TYPE_CHECKING:
    from curvesieve.core.peaks.together import Asked, FittedPeaks, fit_peaks

__all__ = ["Asked", "FittedPeaks", "Found", "FoundPeak", "find_peaks", "fit_peaks"]


def __getattr__(name: str) -> Any:
    if name in ("Asked", "FittedPeaks", "fit_peaks"):  # with the solver: loaded when first asked for
        return getattr(import_module("curvesieve.core.peaks.together"), name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
