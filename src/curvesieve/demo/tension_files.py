"""Files of a strip tester with two kinds of film, made up, with what is true of each: preload, toe, three dialects."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.demo.tension import Machine, Specimen, recorded, specimen

FOLDER = "tension"
SEED = 20_260_314
_LBF = 4.4482216152605


@dataclass(frozen=True)
class Strip:
    """A specimen of a film: its file, law, dimensions in mm as they are, and how its file is written."""

    name: str
    material: str
    law: str
    modulus: float
    strength: float
    width: float
    thickness: float
    machine: Machine
    dialect: str = "newton"

    @property
    def made(self) -> Specimen:
        """The law of its material."""
        return specimen(self.law, self.modulus, self.strength)


_FOIL, _FILM = "marram foil M1", "marram film M2"
STRIPS = (
    Strip("foil_1.csv", _FOIL, "round yield", 68_900, 142, 12.70, 0.210, Machine(preload=0.01, points=1600)),
    Strip("foil_2.csv", _FOIL, "round yield", 69_600, 145, 12.66, 0.208, Machine(toe=0.0002, points=1600)),
    Strip("foil_3.csv", _FOIL, "round yield", 69_200, 139, 12.72, 0.211, Machine(points=1600), "inch"),
    Strip("film_1.csv", _FILM, "straight", 3_120, 61, 12.70, 0.082, Machine(toe=0.0008, points=900)),
    Strip("film_2.csv", _FILM, "straight", 3_060, 58, 12.69, 0.083, Machine(preload=0.01, points=900)),
    Strip("film_3.csv", _FILM, "straight", 3_180, 63, 12.71, 0.081, Machine(points=900), "kilo"),
)
GAUGE = 50.0
"""The grip distance of all, in mm."""


def write_tension(folder: Path, seed: int = SEED) -> list[Path]:
    """Writes a file for each strip and returns them; the same bytes for the same seed."""
    folder.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(seed)
    paths = []
    for strip in STRIPS:
        path = folder / strip.name
        path.write_text(_text(strip, *recorded(strip.made, strip.machine, rng)), encoding="utf-8")
        paths.append(path)
    return paths


def _text(strip: Strip, strain: Floats, stress: Floats) -> str:
    """As the machine writes it: a preamble, names, a row of units, numbers, a line at the end."""
    force = stress * strip.width * strip.thickness
    seconds = np.round(strain / 5e-4, 2)
    head = ["Strip tester export (made-up demo data)", f"Material;{strip.material}", f"Specimen;{strip.name[:-4]}"]
    if strip.dialect == "inch":
        head += [f"Width;{strip.width / 25.4:.5f} inch", f"Thickness;{strip.thickness / 25.4:.7f} inch",
                 f"Grip distance;{GAUGE / 25.4:.6f} inch"]  # fmt: skip
        names, units = "Time;Extension;Load", "s;inch;lbf"
        columns = (seconds, strain * GAUGE / 25.4, force / _LBF)
    else:
        head += [f"Width;{strip.width:.2f}(1) mm", f"Thickness;{strip.thickness:.4f}(4) mm",
                 f"Grip distance;{GAUGE:.1f} mm"]  # fmt: skip
        kilo = strip.dialect == "kilo"
        names, units = "Time;Strain;Force", f"s;%;{'kN' if kilo else 'N'}"
        columns = (seconds, strain * 100, force / (1000 if kilo else 1))
    rows = [";".join(f"{value:.8g}" for value in row) for row in zip(*columns, strict=True)]
    return "\n".join([*head, "", names, units, *rows, "End of test;break detected"]) + "\n"
