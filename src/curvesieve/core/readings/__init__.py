"""Curve or fit -> readings: each number with u, unit, method and reference."""

from curvesieve.core.readings.fitted import FitReading, fit_readings

__all__ = ["FitReading", "fit_readings"]
