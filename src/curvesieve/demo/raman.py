"""Made-up Raman spectra of marram films at five silver loadings: three bands, fluorescence, cosmic-ray spikes.

Nothing here was measured. The files look like what a spectrometer writes; the truth is kept beside them.
"""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

SEED = 20260
LOADINGS = (0.0, 0.5, 1.0, 2.0, 4.0)
_FIRST, _LAST, _POINTS = 1198.0, 1752.0, 924
_GAIN = 14.0
"""Detector counts per shown count: the noise is that of counting before the division."""


@dataclass(frozen=True)
class Peak:
    """A Lorentzian band of the truth, in cm⁻¹ and counts."""

    center: float
    height: float
    fwhm: float

    def __call__(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        return self.height / (1 + 4 * ((x - self.center) / self.fwhm) ** 2)


@dataclass(frozen=True)
class Spectrum:
    """One generated spectrum and what is true of it. `spikes` are positions in x, from 0."""

    loading: float
    x: NDArray[np.float64] = field(repr=False)
    y: NDArray[np.float64] = field(repr=False)
    peaks: tuple[Peak, ...]
    spikes: tuple[int, ...]

    @property
    def file_name(self) -> str:
        return f"loading-{self.loading:.1f}".replace(".", "p") + "wt.csv"

    @property
    def truth(self) -> dict[str, object]:
        return {"loading_wt%": self.loading, "peaks": [asdict(peak) for peak in self.peaks], "spikes": self.spikes}


def spectrum(loading: float, seed: int = SEED) -> Spectrum:
    """The spectrum of one loading: the same numbers for the same seed."""
    rng = np.random.default_rng([seed, round(loading * 10)])
    x = np.round(np.linspace(_FIRST, _LAST, _POINTS), 2)
    peaks = (
        Peak(1338.0 + 0.2 * loading, 300.0 + 45.0 * loading, 55.0 + 1.5 * loading),
        Peak(1458.0 - 0.3 * loading, 190.0 + 6.0 * loading, 44.0 + 0.5 * loading),
        Peak(1602.0 + 0.1 * loading, 330.0 - 55.0 * loading, 36.0 + 0.4 * loading),
    )
    fluorescence = (175.0 + 8 * loading) * np.exp((x - _FIRST) / 6000.0)
    clean = fluorescence + sum(peak(x) for peak in peaks)
    y = rng.poisson(clean * _GAIN) / _GAIN
    noise = np.sqrt(clean / _GAIN)
    spikes: list[int] = []
    for place in np.sort(rng.choice(np.arange(12, _POINTS - 12, 12), size=6, replace=False)):
        width = int(rng.integers(1, 3))  # a cosmic ray lights one or two channels
        spikes += range(int(place), int(place) + width)
    for place in spikes:
        y[place] += noise[place] * rng.uniform(12, 90)
    return Spectrum(loading, x, np.round(y, 2), peaks, tuple(spikes))


def file_text(made: Spectrum) -> str:
    """The spectrum as the made-up spectrometer exports it: preamble, names with units, comma-separated rows."""
    head = [
        "Bench spectrometer export (made-up demo data)",
        f"Sample: marram film, {made.loading:.1f} wt% silver",
        "Laser: 785 nm",
        "Exposure: 12 s x 5",
        "",
        "Raman shift (cm-1),Intensity (counts)",
    ]
    rows = [f"{x:.2f},{y:.2f}" for x, y in zip(made.x, made.y, strict=True)]
    return "\n".join([*head, *rows]) + "\n"


def write_family(folder: Path, seed: int = SEED) -> list[Path]:
    """Writes the five files and ``truth.json`` into a folder, and returns the files' paths in order of loading."""
    folder.mkdir(parents=True, exist_ok=True)
    made = [spectrum(loading, seed) for loading in LOADINGS]
    paths = []
    for one in made:
        path = folder / one.file_name
        path.write_text(file_text(one), encoding="utf-8")
        paths.append(path)
    truth = {one.file_name: one.truth for one in made}
    (folder / "truth.json").write_text(json.dumps(truth, indent=1), encoding="utf-8")
    return paths
