"""`figure`: a figure of a study written as a file."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path


def write_figure(options: argparse.Namespace) -> int:
    """Writes one figure, its data beside it on wish. What is amiss on the page is told in a line each."""
    from curvesieve.core.figures.writing import checked, page_of, save, script_of
    from curvesieve.core.files import write_bytes
    from curvesieve.core.study import load_study
    from curvesieve.core.study.edits.figures import figure_named

    out = Path(options.out)
    suffix = checked(out.suffix, options.dpi)
    study = load_study(options.study)
    spec = figure_named(study, options.name)
    page = page_of(study, spec, suffix)
    write_bytes(out, save(page, suffix, options.dpi, options.paths))
    if options.data:
        data = Path(options.data)
        write_bytes(data, page.columns.csv().encode())
        redrawn = f"{data.stem} redrawn.png"
        script = script_of(page, spec.name, data.name, redrawn, min(options.dpi, 300))
        write_bytes(data.with_suffix(".py"), script.encode())
    for line in page.said:
        print(f"curvesieve: {spec.name}: {line}".replace("\n", " "), file=sys.stderr)
    print(f"{out}: {spec.name}, {spec.width:g} × {spec.height:g} mm")
    return 0
