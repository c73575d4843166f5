"""The study: an immutable document, edits that give a new one, and its file."""

from curvesieve.core.study.document import CurveEntry, Document, Family, FitEntry, RecordEntry, Study
from curvesieve.core.study.store import load_study, save_study

__all__ = ["CurveEntry", "Document", "Family", "FitEntry", "RecordEntry", "Study", "load_study", "save_study"]
