"""Bytes to records, and back: one module a format."""

from curvesieve.core.formats.layout import Layout
from curvesieve.core.formats.reading import read, read_bytes
from curvesieve.core.formats.text import Understanding, understand

__all__ = ["Layout", "Understanding", "read", "read_bytes", "understand"]
