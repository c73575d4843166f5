"""Runs all benchmarks and writes the table."""

from __future__ import annotations

import os
import platform
import sys
import tempfile
from pathlib import Path

from benchmarks import (
    drawing,
    families,
    fields,
    figures,
    fits,
    many,
    measuring,
    patterns,
    reading,
    records,
    scattering,
    sieving,
    starting,
    tracing,
)
from benchmarks.timing import Row

TABLE = Path(__file__).parents[1] / "docs" / "benchmarks.md"


def main() -> int:
    with tempfile.TemporaryDirectory() as state:
        os.environ["XDG_STATE_HOME"] = state  # what windows remember here is nobody's
        return _run()


def _run() -> int:
    rows = [
        *starting.rows(),
        *many.rows(),
        *fits.rows(),
        *drawing.rows(),
        *reading.rows(),
        *sieving.rows(),
        *measuring.rows(),
        *patterns.rows(),
        *families.rows(),
        *figures.rows(),
        *tracing.rows(),
        *fields.rows(),
        *scattering.rows(),
    ]
    text = "\n".join([_text(rows), *records.lines(), *patterns.lines(), *families.lines(), *scattering.lines()])
    TABLE.write_text(text, encoding="utf-8")
    print(text)
    return 0


def _text(rows: list[Row]) -> str:
    lines = [
        "# Speed",
        "",
        "Written by `make bench`. Each row is a ratio against a reference in the same run: medians, in alternation.",
        "Milliseconds depend on the machine; the ratios are what is promised.",
        f"Python {platform.python_version()}, {platform.machine()}, virtual display.",
        "",
        "| what | ours / ms | reference | reference / ms | ratio | goal | met |",
        "|---|---|---|---|---|---|---|",
    ]
    for row in rows:
        ratio = f"{row.ratio:.2f} ×" if row.ratio > 0.3 else f"{1 / row.ratio:.1f} × faster"
        lines.append(
            f"| {row.what} | {row.ours_ms:.4g} | {row.reference} | {row.reference_ms:.4g} "
            f"| {ratio} | {row.goal} | {'yes' if row.met else '**no**'} |"
        )
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    sys.exit(main())
