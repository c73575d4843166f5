"""A folder of everything that makes a file awkward, in the marram films' scenario. All of it made up."""

from __future__ import annotations

import gzip
import io
import json
import zipfile
from pathlib import Path

import numpy as np

from curvesieve.demo.raman import SEED

FOLDER = "awkward-files"


def write_awkward(folder: Path, seed: int = SEED) -> list[Path]:
    """Writes the folder and returns its files in order of name; the same numbers for the same seed."""
    folder.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(seed)
    for made in (_texts(rng), _damaged(rng), _structured(rng)):
        for name, content in made.items():
            (folder / name).write_bytes(content if isinstance(content, bytes) else content.encode("utf-8"))
    return sorted(folder.iterdir())


def _drying(rng: np.random.Generator, count: int = 60) -> tuple[np.ndarray, np.ndarray]:
    t = np.linspace(0, 5.9, count).round(2)
    return t, (1.2 + 0.8 * np.exp(-0.6 * t) + rng.normal(0, 0.002, count)).round(4)


def _texts(rng: np.random.Generator) -> dict[str, str | bytes]:
    t, mass = _drying(rng)
    rows = list(zip(t, mass, strict=True))
    body = "".join(f"{a},{b}\n" for a, b in rows)
    head = "Time (h),Mass (g)\n"
    minutes = [f"2026-03-02 {8 + i // 6:02d}:{i % 6 * 10:02d}:00" for i in range(60)]
    clocks = [f"{(23 * 60 + 30 + i) // 60 % 24:02d}:{(30 + i) % 60:02d}:00" for i in range(60)]
    humid = ["" if i % 9 == 4 else str(40 + i % 7) for i in range(60)]
    half = body.find("\n", len(body) // 2) + 1
    force = (rng.uniform(900, 99_000, 60)).round(2)
    odd = [f"{a},{b}" for a, b in rows]
    odd[10], odd[20], odd[30], odd[40] = f"{t[10]}", f"{t[20]},{mass[20]},7", f"{t[30]},", "nan,inf"
    return {
        "blanks-and-nan.csv": head + "\n".join(odd) + "\n",
        "clock-times.tsv": "Clock\tMass (g)\nhh:mm:ss\tg\n"
        + "".join(f"{clock}\t{b}\n" for clock, (_, b) in zip(clocks, rows, strict=True)),
        "dates.csv": "When,Mass (g)\n" + "".join(f"{m},{b}\n" for m, (_, b) in zip(minutes, rows, strict=True)),
        "decreasing-x.csv": head + "".join(f"{a},{b}\n" for a, b in rows[:40] + rows[40:20:-1]),
        "duplicate-x.csv": head + "".join(f"{a},{b}\n" for a, b in rows[:20] + rows[19:]),
        "fixed-width.dat": "    Time      Mass     Humid\n"
        + "".join(f"{a:8.2f}{b:10.4f}{h:>10s}\n" for (a, b), h in zip(rows, humid, strict=True)),
        "fortran.dat": "# t/h  m/g\n" + "".join(f" {a:.2E} {b:.5E}\n".replace("E", "D") for a, b in rows),
        "heading-repeats.csv": head + body[:half] + head + body[half:],
        "latin-1.csv": ("Größe (µm);Zähler\n" + body.replace(",", ";").replace(".", ",")).encode("cp1252"),
        "mac-line-ends.txt": (head + body).replace("\n", "\r"),
        "mixed-decimals.csv": "Time;Mass\nh;g\n"
        + "".join(f"{a};{b}\n" if i == 25 else f"{a};{b}\n".replace(".", ",") for i, (a, b) in enumerate(rows)),
        "one-row.csv": head + "0.5,1.9\n",
        "pairs.csv": "q (1/nm),I 1 (1/cm),q (1/nm),I 2 (1/cm)\n"
        + "".join(f"{0.1 + a},{b},{0.2 + a},{2 * b}\n" for a, b in rows),
        "ragged.csv": head + "".join(f"{a},{b}{',9' * (i % 20 == 7)}\n" for i, (a, b) in enumerate(rows)),
        "several-curves.csv": "Time (min),25 °C,60 °C,100 °C\n"
        + "".join(f"{a},{b},{b * 0.9:.4f},{b * 0.8:.4f}\n" for a, b in rows),
        "text-column.csv": "Time (h),State,Mass (g)\n"
        + "".join(f"{a},{'dry' if i > 40 else 'wet'},{b}\n" for i, (a, b) in enumerate(rows)),
        "thousands.csv": "Time;Force\ns;N\n" + "".join(f"{a};{f:,.2f}\n" for a, f in zip(t, force, strict=True)),
        "two-tables.txt": f"Sheet: A\n[Drying]\n{head}{body}\n[Wetting]\nTime (h),Mass (g),Room (%)\n"
        + "".join(f"{a},{3.2 - b:.4f},{55}\n" for a, b in rows),
        "trailing-delimiters.csv": "Time (h),Mass (g),\n" + "".join(f"{a},{b},\n" for a, b in rows),
    }  # fmt: skip


def _damaged(rng: np.random.Generator) -> dict[str, str | bytes]:
    wide = ",".join(map(str, range(10_000)))
    bomb = "".join(f'<!ENTITY a{i} "{f"&a{i - 1};" * 10 if i else "marram"}">' for i in range(9))
    return {
        "bad-binary.csv": rng.bytes(3000),
        "bad-empty.csv": b"",
        "bad-entities.xml": f'<?xml version="1.0"?><!DOCTYPE d [{bomb}]><SASroot><Title>&a8;</Title></SASroot>',
        "bad-gzip-bomb.csv.gz": gzip.compress(bytes(60 * 2**20), 9, mtime=0),
        "bad-hdf5-truncated.h5": _hdf5(rng)[:1500],
        "bad-preamble-only.txt": "\n".join(f"line {i} of a preamble; sheet {i % 4}" for i in range(40)) + "\n",
        "bad-ten-thousand-columns.csv": f"{wide}\n{wide}\n",
        "bad-utf-16.txt": "Time;Mass\n0;1\n1;2\n".encode("utf-16")[:-1],
        "bad-zip-bomb.xlsx": _zip_bomb(),
        "bad-formulas.xlsx": _formulas(),
    }


def _structured(rng: np.random.Generator) -> dict[str, str | bytes]:
    t, mass = _drying(rng)
    npy, npz = io.BytesIO(), io.BytesIO()
    np.save(npy, np.column_stack([t, mass]))
    np.savez(npz, time=t, mass=mass)
    return {
        "array.npy": npy.getvalue(),
        "arrays.npz": npz.getvalue(),
        "drying.json": json.dumps({"time": t.tolist(), "mass": mass.tolist()}),
        "drying.ods": _ods(t, mass),
        "merged-headings.xlsx": _merged(t, mass),
        "room.h5": _hdf5(rng),
        "scan.xye": "".join(f"{a:.2f} {b:.4f} 0.0020\n" for a, b in zip(t, mass, strict=True)),
    }


def _hdf5(rng: np.random.Generator) -> bytes:
    import h5py

    t, mass = _drying(rng)
    buffer = io.BytesIO()
    with h5py.File(buffer, "w") as file:
        group = file.create_group("run/drying")
        for name, values, unit in (("time", t, "h"), ("mass", mass, "g")):
            group.create_dataset(name, data=values).attrs["units"] = unit
    return buffer.getvalue()


def _zip_bomb() -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/workbook.xml", bytes(40 * 2**20))
    return buffer.getvalue()


def _formulas() -> bytes:
    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.active
    for i in range(1, 9):
        sheet.append([f"=ROW()*{i}", f"=A{i}^2"])
    return _saved(book)


def _merged(t: np.ndarray, mass: np.ndarray) -> bytes:
    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(["Drying of a marram film (made-up demo data)"])
    sheet.append(["Time", "Mass", ""])
    sheet.append(["h", "g", "g"])
    sheet.merge_cells("B2:C2")
    for a, b in zip(t, mass, strict=True):
        sheet.append([float(a), float(b), round(float(b) * 0.99, 4)])
    return _saved(book)


def _saved(book) -> bytes:  # type: ignore[no-untyped-def]
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()


def _ods(t: np.ndarray, mass: np.ndarray) -> bytes:
    """A minimal OpenDocument spreadsheet: the mark of its type, and the one part that holds the cells."""
    rows: list[list[str | float]] = [["Time (h)", "Mass (g)"]]
    rows += [[float(a), float(b)] for a, b in zip(t, mass, strict=True)]
    cells = "".join("<table:table-row>" + "".join(map(_ods_cell, row)) + "</table:table-row>" for row in rows)
    spaces = " ".join(
        f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
    )
    content = (
        f'<?xml version="1.0" encoding="UTF-8"?><office:document-content {spaces} office:version="1.2"><office:body>'
        f'<office:spreadsheet><table:table table:name="drying">{cells}</table:table></office:spreadsheet>'
        "</office:body></office:document-content>"
    )
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", content)
    return buffer.getvalue()


def _ods_cell(value: str | float) -> str:
    if isinstance(value, str):
        return f'<table:table-cell office:value-type="string"><text:p>{value}</text:p></table:table-cell>'
    return f'<table:table-cell office:value-type="float" office:value="{value!r}"/>'
