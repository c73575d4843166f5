"""Curves with faults to mend, and the truth beside them. All of it made up.

A spectrum with a wide detector fault (a dip over 60 cm⁻¹ of the smooth fluorescence between two bands), and a stress
relaxation with a slip of the grips on its steep decay.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from curvesieve.demo.raman import SEED

FOLDER = "faults"


@dataclass(frozen=True)
class Faulty:
    """A curve with a fault between `low` and `high`; `truth` is y without noise and without the fault."""

    file_name: str
    heading: str
    x: NDArray[np.float64] = field(repr=False)
    y: NDArray[np.float64] = field(repr=False)
    truth: NDArray[np.float64] = field(repr=False)
    low: float
    high: float
    noise: float

    def write(self, folder: Path) -> Path:
        rows = "".join(f"{a:.4f},{b:.4f}\n" for a, b in zip(self.x, self.y, strict=True))
        path = folder / self.file_name
        path.write_text(f"# made-up demo data\n{self.heading}\n{rows}", encoding="utf-8")
        return path


def detector_fault(seed: int = SEED) -> Faulty:
    """Two bands on fluorescence; between them the detector reads low and wavy from 1480 to 1540 cm⁻¹."""
    rng = np.random.default_rng([seed, 1])
    x = np.round(np.linspace(1200, 1800, 1001), 4)
    truth = 180 * np.exp((x - 1200) / 5000)
    for center, height, fwhm in ((1338.0, 300.0, 40.0), (1700.0, 240.0, 36.0)):
        truth = truth + height * np.exp(-4 * np.log(2) * ((x - center) / fwhm) ** 2)
    low, high, noise = 1480.0, 1540.0, 3.0
    y = truth + rng.normal(0, noise, x.size)
    fault = (x >= low) & (x <= high)
    y[fault] -= 70 + 15 * np.sin((x[fault] - low) / 3)
    return Faulty(
        "detector-fault.csv", "Raman shift (cm-1),Intensity (counts)", x, np.round(y, 4), truth, low, high, noise
    )


def relaxation_glitch(seed: int = SEED) -> Faulty:
    """Stress that relaxes by two exponentials; the grips slip between 1.5 and 4 s, where it falls steeply."""
    rng = np.random.default_rng([seed, 2])
    x = np.round(np.linspace(0, 30, 901), 4)
    truth = 12 + 30 * np.exp(-x / 0.8) + 18 * np.exp(-x / 9)
    low, high, noise = 1.5, 4.0, 0.15
    y = truth + rng.normal(0, noise, x.size)
    fault = (x >= low) & (x <= high)
    y[fault] += 6 + 2 * np.sin(9 * x[fault])
    return Faulty("relaxation-glitch.csv", "Time (s),Stress (MPa)", x, np.round(y, 4), truth, low, high, noise)


def write_faults(folder: Path, seed: int = SEED) -> list[Path]:
    """Writes both files and ``truth.json``, and returns the files' paths."""
    folder.mkdir(parents=True, exist_ok=True)
    made = [detector_fault(seed), relaxation_glitch(seed)]
    truth = {one.file_name: {"low": one.low, "high": one.high, "y": one.truth.round(6).tolist()} for one in made}
    (folder / "truth.json").write_text(json.dumps(truth), encoding="utf-8")
    return [one.write(folder) for one in made]
