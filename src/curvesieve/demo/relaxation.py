"""Stress relaxation of marram films at several humidities: two exponential decays to a level. All of it made up."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from curvesieve.demo.raman import SEED

HUMIDITIES = (30.0, 50.0, 70.0)
FOLDER = "relaxation"
_NOISE = 0.12
_SECONDS, _POINTS = 600.0, 601


@dataclass(frozen=True)
class Relaxation:
    """The truth of one strip: stress = offset + amplitude1·exp(−t/tau1) + amplitude2·exp(−t/tau2), in MPa and s."""

    humidity: float
    offset: float
    amplitude1: float
    tau1: float
    amplitude2: float
    tau2: float

    @property
    def file_name(self) -> str:
        return f"relaxation-{self.humidity:.0f}rh.csv"


def strips() -> list[Relaxation]:
    """Wetter films hold less; the slow relaxation is faster in them, the fast one does not feel the humidity."""
    return [Relaxation(h, 30 - 0.2 * h, 9 + 0.04 * h, 18.0, 14 - 0.03 * h, 210 - 1.2 * h) for h in HUMIDITIES]


def write_relaxation(folder: Path, seed: int = SEED) -> list[Path]:
    """Writes a file a strip, as a testing machine does, and the truth beside them; returns the files' paths."""
    folder.mkdir(parents=True, exist_ok=True)
    t = np.linspace(0.0, _SECONDS, _POINTS)
    paths = []
    for i, strip in enumerate(strips()):
        rng = np.random.default_rng([seed, 40 + i])
        stress = (
            strip.offset + strip.amplitude1 * np.exp(-t / strip.tau1) + strip.amplitude2 * np.exp(-t / strip.tau2)
        ) + rng.normal(0, _NOISE, t.size)
        head = (
            f"# made-up demo data\n# Sample: marram film\n# Humidity: {strip.humidity:.0f} %\nTime (s),Stress (MPa)\n"
        )
        path = folder / strip.file_name
        path.write_text(head + "".join(f"{a:.1f},{b:.4f}\n" for a, b in zip(t, stress, strict=True)), encoding="utf-8")
        paths.append(path)
    truth = {strip.file_name: asdict(strip) for strip in strips()}
    (folder / "truth.json").write_text(json.dumps(truth, indent=1), encoding="utf-8")
    return paths
