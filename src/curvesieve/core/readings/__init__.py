"""Curve or fit -> readings: each number with u, unit, method and reference."""

from curvesieve.core.readings.peaks import PeakReading, peak_readings

__all__ = ["PeakReading", "peak_readings"]
