"""Small-angle scattering of marram films: silver spheres of many sizes in cellulose, counted. All of it made up.

The intensities are summed here once more over many radii, so that the terms of the library can be held against them.
"""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from curvesieve.demo.raman import SEED

Floats = NDArray[np.float64]
FOLDER = "scattering"
LOADINGS = (0.5, 1.0, 2.0, 4.0)
BLANK = "film-0p0wt.dat"
_Q = np.geomspace(0.004, 0.3, 160)
"""In 1/Å, as the instrument writes it."""
_RADII = 600
_EXPOSURE = 1.5e3
"""Counts at an intensity of 1/cm in the ring of the smallest q; rings grow with q."""


@dataclass(frozen=True)
class Film:
    """The truth of one film: spheres by their mean radius (nm) and its relative spread (by number, a gamma density),
    the intensity of the spheres at q = 0 and what the cellulose adds: slope·q^−2.6 + level (1/cm, q in 1/nm)."""

    loading: float
    radius: float
    spread: float
    forward: float
    slope: float = 8e-4
    level: float = 0.05

    @property
    def file_name(self) -> str:
        return f"film-{self.loading:.1f}wt".replace(".", "p") + ".dat"

    @property
    def rg(self) -> float:
        """The radius of gyration seen at small q, in nm: Rg² = 3/5·⟨R⁸⟩/⟨R⁶⟩."""
        square = self.spread**2
        return float(self.radius * np.sqrt(0.6 * (1 + 6 * square) * (1 + 7 * square)))

    def intensity(self, q: Floats) -> Floats:
        """In 1/cm at q in 1/nm; both of shape (n,)."""
        shape = 1 / self.spread**2
        r = np.linspace(0.02, 3.0, _RADII) * self.radius
        weight = np.exp((shape - 1) * np.log(r / self.radius) - shape * (r / self.radius - 1))
        weight *= r**6
        z = q[:, None] * r
        form = (3 * (np.sin(z) - z * np.cos(z)) / z**3) ** 2
        spheres = form @ weight / weight.sum()
        return np.asarray(self.forward * spheres + self.slope * q**-2.6 + self.level)


def films() -> list[Film]:
    """More silver grows larger spheres; they scatter with their number and the square of their volume."""
    return [Film(w, 5.0 + 0.9 * w, 0.14, round(2.4 * w * (1 + 0.18 * w) ** 3, 3)) for w in LOADINGS]


def write_scattering(folder: Path, seed: int = SEED) -> list[Path]:
    """Writes a file a film and that of a film without silver, and the truth beside them; returns the films' paths."""
    folder.mkdir(parents=True, exist_ok=True)
    blank = Film(0.0, 5.0, 0.14, 0.0)
    for number, film in enumerate([blank, *films()]):
        rng = np.random.default_rng([seed, 90 + number])
        exposure = _EXPOSURE * (_Q / _Q[0]) * (8.0 if film is blank else 1.0)
        counts = rng.poisson(film.intensity(10 * _Q) * exposure)
        values, u = counts / exposure, np.sqrt(np.maximum(counts, 1)) / exposure
        lines = [
            "# made-up demo data", f"# sample      marram film, {film.loading:.1f} wt% silver", "# detector    1.2 m",
            "# wavelength  0.154 nm", "q/Å^-1   I/cm^-1   u(I)/cm^-1   dq/Å^-1",
        ]  # fmt: skip
        lines += [
            f"{a:.6e} {b:.6e} {c:.3e} {d:.3e}" for a, b, c, d in zip(_Q, values, u, 1e-4 + 0.01 * _Q, strict=True)
        ]
        (folder / (BLANK if film is blank else film.file_name)).write_text("\n".join(lines) + "\n", encoding="utf-8")
    truth = {film.file_name: {**asdict(film), "rg": film.rg} for film in films()}
    (folder / "truth.json").write_text(json.dumps(truth, indent=1), encoding="utf-8")
    return [folder / film.file_name for film in films()]
