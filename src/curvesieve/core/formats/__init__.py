"""Bytes to records, and back: one module a format."""

from curvesieve.core.formats.layout import Layout
from curvesieve.core.formats.opening import read, read_bytes, reread, tables
from curvesieve.core.formats.table import Table
from curvesieve.core.formats.text import Understanding, understand

__all__ = ["Layout", "Table", "Understanding", "read", "read_bytes", "reread", "tables", "understand"]
