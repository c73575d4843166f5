"""Curve or fit -> readings: each number with u, unit, method and reference."""

from curvesieve.core.readings.fitted import fit_readings, statistics_of

__all__ = ["fit_readings", "statistics_of"]
