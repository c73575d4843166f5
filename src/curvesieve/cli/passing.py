"""`pass`: a file's curve through a saved sieve."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from curvesieve.cli.choosing import chosen_curve
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError


class _OtherFiles:
    """The other curves that a step may take from, at the command line: files, beside the one that is passed."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def curve(self, name: str) -> Curve:
        from curvesieve.core.formats import read

        place = next((path for path in (Path(name), self.folder / name) if path.exists()), None)
        if place is None:
            raise InputError(f"there is no file {name} here or beside the curve to take from.")
        record = read(place)
        x, y = record.guess_xy()
        return record.curve(x + 1, y + 1)

    def family(self) -> list[Curve]:
        return []


def pass_file(options: argparse.Namespace) -> int:
    from curvesieve.core.files import write_bytes
    from curvesieve.core.formats import read
    from curvesieve.core.formats.writing import of_curve, write
    from curvesieve.core.steps import Sieve

    sieve = Sieve.load(options.sieve)
    path = Path(options.file)
    record = read(path)
    source, curve = record.source, chosen_curve(record, options)
    made = sieve(curve, _OtherFiles(path.parent))
    said = [
        {
            "step": trail.slot.rule.slug,
            "points_in": len(trail.before),
            "points_out": len(trail.after),
            "caught": len(trail.caught),
            "message": trail.problem or trail.message,
            "worked": not trail.problem,
        }
        for trail in made.trail
    ]
    for number, trail in enumerate(made.trail, 1):
        if trail.problem:
            print(f"curvesieve: step {number}, {trail.slot.rule.slug}, let all pass: {trail.problem}", file=sys.stderr)
    if options.out:
        about = (("source", path.name), ("sha256", source.sha256), ("steps", sieve.written()))
        write_bytes(Path(options.out), write(of_curve(made.curve, path.name, about), Path(options.out).suffix))
    if options.json:
        print(json.dumps(said, ensure_ascii=False, indent=1))
    else:
        for row in said:
            print(f"{row['step']:<20} {row['points_in']} → {row['points_out']}  {row['message']}")
    return 0
