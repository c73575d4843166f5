"""`grid`: scattered points of a file filled in, without a window."""

from __future__ import annotations

import argparse
import json
import math
import sys
from pathlib import Path
from typing import Any

from curvesieve.core.errors import InputError


def grid_file(options: argparse.Namespace) -> int:
    """Writes the grid of a file's points, or how the ways of filling compare."""
    from curvesieve.cli.choosing import split_assignment
    from curvesieve.core.fields.field import filled, way_named
    from curvesieve.core.fields.sources import of_channels
    from curvesieve.core.formats import read

    record = read(Path(options.file))
    x, y, z = (record[name] for name in (options.x, options.y, options.z))
    gathered = of_channels(x, y, z, record[options.u] if options.u else None)
    print(f"curvesieve: {gathered.told}", file=sys.stderr)
    if gathered.points.unlike_axes:
        done = "are not scaled" if options.scaled == "no" else "are scaled to their extents for distances"
        print(f"curvesieve: {gathered.points.unlike_axes}: they {done} (--scaled yes|no)", file=sys.stderr)
    settings = dict(split_assignment(text) for text in options.set)
    way = way_named(options.way, {name: _value(text) for name, text in settings.items()})
    scaled = {"yes": True, "no": False}.get(options.scaled)
    if options.compare:
        return _compare(options, gathered, way, scaled)
    made = filled(
        gathered, way, _shape(options.shape), options.step, options.outside, options.value, options.reach, scaled
    )
    for said in (made.surface.filler.told, made.surface.filler.doubt):
        if said:
            print(f"curvesieve: {said}", file=sys.stderr)
    return _write(options, made)


def _write(options: argparse.Namespace, made: Any) -> int:
    from curvesieve.core.fields.writing import grid_file as file_of
    from curvesieve.core.fields.writing import long_sheet, matrix
    from curvesieve.core.files import write_bytes
    from curvesieve.core.formats.writing import write

    way = made.surface.filling.way
    about = [("source", options.file), ("points", made.told), ("way", way.in_words())]
    about += [("found", made.surface.filler.told), ("u", made.surface.u_told or "none")]
    grid = made.grid
    if options.out:
        out = Path(options.out)
        content = matrix(grid).encode() if options.matrix else file_of(grid, out.suffix.lower(), out.stem, about)
        write_bytes(out, content)
        print(f"{options.out}: {grid.x.size} × {grid.y.size}, {int(grid.known.sum()):,} nodes with values")
    else:
        sys.stdout.write(
            matrix(grid) if options.matrix else write(long_sheet(grid, Path(options.file).stem, about), ".csv").decode()
        )
    return 0


def _compare(options: argparse.Namespace, gathered: Any, way: Any, scaled: bool | None) -> int:
    from curvesieve.core.fields.compare import common_ways, compare
    from curvesieve.core.fields.grid import GridSpec
    from curvesieve.core.fields.surface import Filling

    points = gathered.points
    rows, columns = _shape(options.shape)
    stretch = bool(points.unlike_axes) if scaled is None else scaled
    filling = Filling(way=way, grid=GridSpec(columns=columns, rows=rows, step=options.step), scaled=stretch)
    found = compare(points, common_ways(points, way), filling)
    entries = [
        {
            "way": one.way.slug,
            "left_out_error": _finite(one.error),
            "beyond_neighbours": _finite(one.beyond),
            "unit": points.names.z_unit,
            "left_out": "" if one.left_out is None else one.left_out.how,
            "found": one.told,
            "problem": one.problem,
        }
        for one in found
    ]
    if options.json:
        print(json.dumps(entries, ensure_ascii=False, indent=1))
        return 0
    unit = f" {points.names.z_unit}".rstrip()
    for one in found:
        told = (
            one.problem
            or f"misses left-out points by {one.error:.4g}{unit}, {100 * one.beyond:.2f} % beyond its neighbours"
        )
        print(f"{one.way.slug:18s}{told}")
    return 0


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _value(text: str) -> Any:
    try:
        return json.loads(text)
    except ValueError:
        return text


def _shape(text: str) -> tuple[int, int]:
    """Rows and columns of ``101x101`` (columns × rows, as x goes before y)."""
    columns, _, rows = text.lower().replace("×", "x").partition("x")
    if not (columns.strip().isdigit() and rows.strip().isdigit()):
        raise InputError(f"--shape {text}: write columns and rows such as 101x101.")
    return int(rows), int(columns)
