"""The study: an immutable document, edits that give a new one, and its file."""

from curvesieve.core.study.document import CurveEntry, Document, Family, FitEntry, FromRecord, RecordEntry
from curvesieve.core.study.store import load_study, save_study
from curvesieve.core.study.study import Study

__all__ = [
    "CurveEntry", "Document", "Family", "FitEntry", "FromRecord", "RecordEntry", "Study", "load_study", "save_study",
]  # fmt: skip
