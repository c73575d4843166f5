"""`figure`: a figure of a study written as a file."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path


def write_figure(options: argparse.Namespace) -> int:
    """Writes one figure, its data beside it on wish. What is amiss on the page is told in a line each."""
    from curvesieve.core.figures.writing import beside, checked, page_of, save
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
        for path, content in beside(page, spec.name, Path(options.data), options.dpi, script=True).items():
            write_bytes(path, content)
    for line in page.said:
        print(f"curvesieve: {spec.name}: {line}".replace("\n", " "), file=sys.stderr)
    print(f"{out}: {spec.name}, {spec.width:g} × {spec.height:g} mm")
    return 0


def write_report(options: argparse.Namespace) -> int:
    """Writes the report of a study, or of one family or curve of it."""
    from curvesieve.core.errors import InputError, nearest
    from curvesieve.core.files import write_bytes
    from curvesieve.core.report.blocks import report_of_study
    from curvesieve.core.report.study_writing import study_report_written
    from curvesieve.core.report.template import DEFAULT, load_template
    from curvesieve.core.report.writing import checked
    from curvesieve.core.study import load_study

    out = Path(options.out)
    suffix = checked(out.suffix)
    template = load_template(Path(options.template)) if options.template else DEFAULT
    study = load_study(options.study)
    family = curve = ""
    if options.curve:
        curve = study.named(options.curve) or ""
        if not curve:
            names = [one.label for one in study.document.curves]
            raise InputError(f"There is no curve {options.curve!r} in {options.study}{nearest(options.curve, names)}")
    if options.family:
        labels = {one.label: one.id for one in study.document.families}
        if options.family not in labels:
            raise InputError(f"There is no family {options.family!r}; there are {', '.join(labels) or 'none'}"
                             f"{nearest(options.family, list(labels))}")  # fmt: skip
        family = labels[options.family]
    report = report_of_study(study, family=family, curve=curve, template=template)
    write_bytes(out, study_report_written(report, suffix))
    print(f"{out}: {report.title}")
    return 0
