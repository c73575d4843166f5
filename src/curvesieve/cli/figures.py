"""`figure`: a figure of a study written as a file."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path


def write_figure(options: argparse.Namespace) -> int:
    """Writes one figure, its data beside it on wish. What is amiss on the page is told in a line each."""
    from curvesieve.core.figures.content import shown
    from curvesieve.core.figures.draw import drawn
    from curvesieve.core.figures.writing import checked, data_csv, save
    from curvesieve.core.files import write_bytes
    from curvesieve.core.study import load_study
    from curvesieve.core.study.edits.figures import figure_named

    out = Path(options.out)
    suffix = checked(out.suffix, options.dpi)
    study = load_study(options.study)
    spec = figure_named(study, options.name)
    panels = shown(study, spec)
    page = drawn(spec, panels)
    write_bytes(out, save(page, suffix, options.dpi, options.paths))
    if options.data:
        write_bytes(Path(options.data), data_csv(panels).encode())
    for line in page.said:
        print(f"curvesieve: {spec.name}: {line}".replace("\n", " "), file=sys.stderr)
    print(f"{out}: {spec.name}, {spec.width:g} × {spec.height:g} mm")
    return 0
