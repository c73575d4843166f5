"""`trace`: a saved trace read against its picture, without a window."""

from __future__ import annotations

import argparse
import csv
import io
import sys
from pathlib import Path


def trace_file(options: argparse.Namespace) -> int:
    """Prints the numbers of a trace, or writes them as CSV; says how far they lie off the picture on standard error."""
    from curvesieve.core.errors import InputError
    from curvesieve.core.files import write_text
    from curvesieve.core.tracing.back import look_back
    from curvesieve.core.tracing.saved import load
    from curvesieve.core.tracing.table import rows_of
    from curvesieve.core.tracing.values import frame_of

    path = Path(options.file)
    trace, picture, notes = load(path)
    if not trace.series:
        raise InputError(f"{path.name} has axes but no series; trace something first.")
    rows = rows_of(trace)
    frame = frame_of(trace)
    said = [f"{name} axis: {axis.scale}, {len(axis.marks)} marks, worst miss {axis.worst:.2f} px"
            for name, axis in (("x", frame.x), ("y", frame.y))]  # fmt: skip
    for number, series in enumerate(trace.series, 1):
        if series.kind != "bars":
            said.append(f"{series.name or f'series {number}'}: {look_back(picture, frame, series).told()}")
    for line in (*notes, *said):
        print(f"curvesieve: {line}".replace("\n", " "), file=sys.stderr)
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerows(rows)
    if options.out:
        write_text(Path(options.out), text.getvalue())
        print(f"{options.out}: {len(rows) - 1} rows of {len(trace.series)} series")
    else:
        print(text.getvalue(), end="")
    return 0
