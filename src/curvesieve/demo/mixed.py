"""A folder as laboratories have it: the marram films' files in the formats of five instruments. All of it made up."""

from __future__ import annotations

import gzip
import io
from pathlib import Path

import numpy as np

from curvesieve.demo.raman import LOADINGS, SEED, spectrum

FOLDER = "mixed-files"


def write_mixed(folder: Path, seed: int = SEED) -> list[Path]:
    """Writes the folder and returns its files in order of name; the same bytes of numbers for the same seed."""
    folder.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(seed)
    for loading in LOADINGS:
        name = f"strip_A_{loading:.1f}wt".replace(".", "p") + ".csv"
        (folder / name).write_bytes(_strip(loading, rng).encode("cp1252"))
    for loading in LOADINGS[:3]:
        name = f"raman_{loading:.1f}wt".replace(".", "p") + ".jdx"
        (folder / name).write_text(_jcamp(loading), encoding="ascii")
    (folder / "drying.xlsx").write_bytes(_drying(rng))
    (folder / "scattering_4p0wt.h5").write_bytes(_scattering(rng))
    (folder / "scattering_1p0wt.xml").write_text(_cansas(rng), encoding="utf-8")
    (folder / "relaxation_25C.dat.gz").write_bytes(gzip.compress(_relaxation(25, rng).encode(), mtime=0))
    (folder / "relaxation_60C.dat").write_bytes(_relaxation(60, rng).encode("utf-16"))
    (folder / "notes-march.txt").write_text("Marram films, notes of March (made up)\nSheets pressed twice.\n")
    return sorted(folder.iterdir())


def _strip(loading: float, rng: np.random.Generator) -> str:
    """A tension test as the strip tester writes it: semicolons, decimal commas, a unit row, a footer."""
    strain = np.linspace(0, 0.055, 400)
    stress = (2400 + 150 * loading) * strain / (1 + strain / 0.012)
    force = stress * 12.70 * 0.082 + 0.4 + rng.normal(0, 0.05, strain.size)
    head = [
        "Strip tester export (made-up demo data)", "Specimen;strip A", f"Film;{loading:.1f} wt%", "Width;12,70 mm",
        "Thickness;0,082 mm", "Grip distance;50,0 mm", "", "Time;Extension;Force;Strain", "s;mm;N;%",
    ]  # fmt: skip
    columns = (np.arange(strain.size) * 0.1, strain * 50, force, strain * 100)
    rows = [f"{t:.3f};{e:.4f};{f:.3f};{s:.4f}" for t, e, f, s in zip(*columns, strict=True)]
    return "\r\n".join([*head, *rows, "End of test;break detected"]).replace(".", ",") + "\r\n"


def _jcamp(loading: float) -> str:
    made = spectrum(loading)
    lines = [
        f"##TITLE=marram film {loading:.1f} wt% (made-up demo data)", "##JCAMP-DX=4.24", "##DATA TYPE=RAMAN SPECTRUM",
        "##XUNITS=1/CM", "##YUNITS=COUNTS", f"##FIRSTX={made.x[0]}", f"##LASTX={made.x[-1]}", "##XFACTOR=1",
        "##YFACTOR=0.01", f"##NPOINTS={made.x.size}", "##XYDATA=(X++(Y..Y))",
    ]  # fmt: skip
    counts = np.round(made.y * 100).astype(int)
    lines += [
        f"{made.x[first]:.2f} " + " ".join(str(c) for c in counts[first : first + 8])
        for first in range(0, counts.size, 8)
    ]
    return "\n".join([*lines, "##END="]) + "\n"


def _drying(rng: np.random.Generator) -> bytes:
    """Mass against time at two humidities, a sheet each, with a heading and units in cells."""
    import openpyxl

    book = openpyxl.Workbook()
    book.remove(book.active)
    for humidity, rate in ((30, 0.9), (70, 0.35)):
        sheet = book.create_sheet(f"{humidity}% RH")
        sheet.append(["Drying of a marram film (made-up demo data)"])
        sheet.append([])
        sheet.append(["Time", "Mass"])
        sheet.append(["h", "g"])
        for t in np.arange(0, 8, 0.1):
            sheet.append([round(float(t), 2), round(1.2 + 0.8 * float(np.exp(-rate * t)) + rng.normal(0, 0.002), 4)])
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()


def _sphere(q: np.ndarray, radius: float) -> np.ndarray:
    """The form factor of a sphere, squared: (3(sin qR − qR cos qR)/(qR)³)²; common practice."""
    z = q * radius
    return np.asarray((3 * (np.sin(z) - z * np.cos(z)) / z**3) ** 2)


def _scattering(rng: np.random.Generator) -> bytes:
    import h5py

    q = np.geomspace(0.02, 2.0, 180)
    intensity = 40 * np.mean([_sphere(q, r) for r in rng.normal(9.0, 0.9, 60)], axis=0) + 0.02
    buffer = io.BytesIO()
    with h5py.File(buffer, "w", track_order=True) as file:
        data = file.create_group("entry/sasdata")
        data.attrs["NX_class"], data.attrs["canSAS_class"], data.attrs["signal"] = "NXdata", "SASdata", "I"
        data.attrs["I_axes"] = "Q"
        for name, values, unit in (("Q", q, "1/nm"), ("I", intensity, "1/cm"), ("Idev", 0.02 * intensity, "1/cm")):
            data.create_dataset(name, data=values).attrs["units"] = unit
    return buffer.getvalue()


def _cansas(rng: np.random.Generator) -> str:
    q = np.geomspace(0.02, 2.0, 90)
    intensity = 12 * np.mean([_sphere(q, r) for r in rng.normal(7.0, 0.7, 60)], axis=0) + 0.02
    point = '<Idata><Q unit="1/nm">{:.6g}</Q><I unit="1/cm">{:.6g}</I><Idev unit="1/cm">{:.3g}</Idev></Idata>'
    points = "\n".join(point.format(a, b, 0.02 * b) for a, b in zip(q, intensity, strict=True))
    return (
        '<?xml version="1.0"?>\n<SASroot version="1.0" xmlns="cansas1d/1.0"><SASentry><Title>made-up demo data</Title>'
        f"<SASdata>\n{points}\n</SASdata></SASentry></SASroot>\n"
    )


def _relaxation(celsius: int, rng: np.random.Generator) -> str:
    """Stress relaxation, blanks between columns, a comment mark before the names."""
    t = np.geomspace(0.1, 600, 120)
    stress = 18 * np.exp(-((t / (250 - 2 * celsius)) ** 0.45)) + 9 + rng.normal(0, 0.03, t.size)
    rows = [f"{a:12.4f} {b:10.4f}" for a, b in zip(t, stress, strict=True)]
    return "\n".join(["# marram film, relaxation (made-up demo data)", "# t/s  stress/MPa", *rows]) + "\n"
