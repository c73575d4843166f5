"""The ways out of a grid: CSV (long, or rows and columns), XLSX, HDF5 (NXdata), NPZ; contour lines as CSV and SVG."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from typing import Any

import numpy as np

from curvesieve.core.curve import Floats, frozen
from curvesieve.core.errors import InputError
from curvesieve.core.fields.contours import Line
from curvesieve.core.fields.grid import Grid
from curvesieve.core.formats.writing import Sheet, write
from curvesieve.core.record import Channel
from curvesieve.core.units import labelled

About = Sequence[tuple[str, str]]
SUFFIXES = (".csv", ".tsv", ".xlsx", ".h5", ".npz", ".json")


def long_sheet(grid: Grid, title: str, about: About = ()) -> Sheet:
    """The grid as x, y, z and u, a row a node; nodes where nothing is known stay empty."""
    places, names = grid.places(), grid.names
    told = [names.x, names.y, names.z]
    if len(set(told)) < 3:
        told = [f"{name} ({axis})" for name, axis in zip(told, "xyz", strict=True)]
    channels = [
        Channel(told[0], names.x_unit, frozen(places[:, 0])), Channel(told[1], names.y_unit, frozen(places[:, 1])),
        Channel(told[2], names.z_unit, frozen(grid.z.ravel())),
    ]  # fmt: skip
    if grid.u is not None:
        channels.append(Channel(f"u of {told[2]}", names.z_unit, frozen(grid.u.ravel())))
    return Sheet(title, tuple(channels), (("title", title), *about))


def grid_file(grid: Grid, suffix: str, title: str, about: About = ()) -> bytes:
    """The file of a grid by its suffix; see `SUFFIXES`. Raises InputError for others, or what a format cannot hold."""
    if suffix == ".h5":
        return _nexus(grid, title, about)
    if suffix == ".npz":
        return _arrays(grid)
    if suffix not in SUFFIXES:
        raise InputError(f"“{suffix or 'no suffix'}” is no format for a grid; end the name with {', '.join(SUFFIXES)}.")
    return write(long_sheet(grid, title, about), suffix)


def matrix(grid: Grid) -> str:
    """CSV in rows and columns: the first row has the places of the columns, the first column those of the rows."""
    text = io.StringIO()
    rows = csv.writer(text, lineterminator="\n")
    rows.writerow([labelled(grid.names.y, grid.names.y_unit), *(repr(float(x)) for x in grid.x)])
    for y, line in zip(grid.y, grid.z, strict=True):
        rows.writerow([repr(float(y)), *("" if not np.isfinite(v) else repr(float(v)) for v in line)])
    return text.getvalue()


def _nexus(grid: Grid, title: str, about: About) -> bytes:
    import h5py

    file, names = io.BytesIO(), grid.names
    with h5py.File(file, "w", track_order=True) as out:
        out.attrs["default"] = "entry"
        entry: Any = out.create_group("entry", track_order=True)
        entry.attrs["NX_class"], entry.attrs["default"] = "NXentry", "field"
        group: Any = entry.create_group("field", track_order=True)
        group.attrs["NX_class"], group.attrs["signal"], group.attrs["axes"] = "NXdata", "z", ["y", "x"]
        group.attrs["title"] = title
        parts = [
            ("y", grid.y, names.y, names.y_unit),
            ("x", grid.x, names.x, names.x_unit),
            ("z", grid.z, names.z, names.z_unit),
        ]
        if grid.u is not None:
            parts.append(("z_errors", grid.u, f"u of {names.z}", names.z_unit))
        for node, values, name, unit in parts:
            data = group.create_dataset(node, data=values)
            data.attrs["units"], data.attrs["long_name"] = unit, name
        for key, value in about:
            group.attrs[key.replace("/", "∕") or "about"] = value
    return file.getvalue()


def _arrays(grid: Grid) -> bytes:
    file = io.BytesIO()
    made: dict[str, Any] = {"x": grid.x, "y": grid.y, "z": grid.z} | ({} if grid.u is None else {"u": grid.u})
    np.savez_compressed(file, **made)
    return file.getvalue()


def lines_csv(lines: Sequence[Line], grid: Grid) -> str:
    """Contour lines as level, line, x, y; a number a line, and a row a place."""
    text = io.StringIO()
    rows, names = csv.writer(text, lineterminator="\n"), grid.names
    rows.writerow(
        [labelled(names.z, names.z_unit), "line", labelled(names.x, names.x_unit), labelled(names.y, names.y_unit)]
    )
    for number, line in enumerate(lines, 1):
        rows.writerows([repr(line.level), number, repr(float(x)), repr(float(y))] for x, y in line.places)
    return text.getvalue()


def lines_svg(lines: Sequence[Line], grid: Grid, side: float = 800.0) -> str:
    """Contour lines as an SVG in the proportions of the axes; each path says its level."""
    low = np.array([grid.x[0], grid.y[0]])
    wide, high = float(grid.x[-1] - grid.x[0]) or 1.0, float(grid.y[-1] - grid.y[0]) or 1.0
    alike = grid.names.x_unit == grid.names.y_unit and max(wide, high) < 20 * min(wide, high)
    box = side * np.array([wide, high]) / max(wide, high) if alike else np.array([side, side])
    scale = box / np.array([wide, high])

    def path(places: Floats, closed: bool) -> str:
        at = (places - low) * scale
        return "M" + " L".join(f"{x:.2f},{box[1] - y:.2f}" for x, y in at) + (" Z" if closed else "")

    unit = grid.names.z_unit
    drawn = "\n".join(
        f'<path d="{path(line.places, line.closed)}"><title>{line.level:.10g} {_plain(unit)}</title></path>'
        for line in lines
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {box[0]:.1f} {box[1]:.1f}" width="{box[0]:.0f}" '
        f'height="{box[1]:.0f}">\n<g fill="none" stroke="#22302F" stroke-width="1">\n{drawn}\n</g>\n</svg>\n'
    )


def _plain(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")
