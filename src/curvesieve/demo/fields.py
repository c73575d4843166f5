"""Fields: a scattered thickness map, a probe that knows where it was, a rough surface in rows and columns. Made up."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np

from curvesieve.demo.raman import SEED

FOLDER = "fields"
THICKNESS, PROBE, ROUGH = "thickness-map.csv", "probe-map.csv", "rough-surface.csv"
NOISE_UM, PROBE_NOISE_NM = 0.25, 4.0
PERIOD_MM, RIPPLE_UM, ROUGH_NOISE_UM = 0.42, 1.8, 0.15
_POINTS, _HALF_MM = 160, 10.0


def thickness(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """The true thickness of a film in µm at places in mm, of any shape: a slope, two thick places, a thin one."""

    def place(x0: float, y0: float, wide: float) -> np.ndarray:
        return np.asarray(np.exp(-((x - x0) ** 2 + (y - y0) ** 2) / (2 * wide**2)))

    return 80.0 + 0.12 * x - 0.05 * y + 6.2 * place(-4, 2.5, 2.3) + 6.6 * place(5.2, -4, 2.5) - 4.5 * place(3, 7, 2.6)


def height(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """The true height under the probe in nm at places in µm, of any shape."""
    return np.asarray(40 * np.sin(x / 3.2) * np.cos(y / 4.1) + 3.0 * x)


def ripple(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """The true rough surface in µm at places in mm, of any shape: a tilt and a ripple along a direction of 25°."""
    turn = np.radians(25.0)
    along = x * np.cos(turn) + y * np.sin(turn)
    return np.asarray(5.0 + 2.0 * x - 1.2 * y + RIPPLE_UM * np.sin(2 * np.pi * along / PERIOD_MM))


def write_fields(folder: Path, seed: int = SEED) -> list[Path]:
    """Writes the files of the fields and, beside them, what they were made of."""
    folder.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(seed + 19)
    x, y = rng.uniform(-_HALF_MM, _HALF_MM, (2, _POINTS))
    z = thickness(x, y) + NOISE_UM * rng.standard_normal(_POINTS)
    rows = [f"{a:.3f};{b:.3f};{c:.2f}".replace(".", ",") for a, b, c in zip(x, y, z, strict=True)]
    head = ["Marram film 2 wt%", "Operator: M. Strand", "Gauge: eddy current", "", "x;y;thickness", "mm;mm;µm"]
    paths = [folder / THICKNESS, folder / PROBE, folder / ROUGH]
    paths[0].write_text("\n".join([*head, *rows]) + "\n", encoding="utf-8")

    px, py = np.stack(np.meshgrid(np.arange(21.0), np.arange(21.0))).reshape(2, -1)
    px, py = px + rng.uniform(-1 / 3, 1 / 3, px.size), py + rng.uniform(-1 / 3, 1 / 3, py.size)
    pz = height(px, py) + PROBE_NOISE_NM * rng.standard_normal(px.size)
    spikes = rng.choice(px.size, 5, replace=False)
    pz[spikes] += 180.0
    lines = [f"{a:.3f},{b:.3f},{c:.1f}" for a, b, c in zip(px, py, pz, strict=True)]
    paths[1].write_text("x (um),y (um),height (nm)\n" + "\n".join(lines) + "\n", encoding="utf-8")

    axis = np.arange(96) * 0.05
    gx, gy = np.meshgrid(axis, axis)
    table = ripple(gx, gy) + ROUGH_NOISE_UM * rng.standard_normal(gx.shape)
    body = [",".join([f"{axis[k]:.2f}", *(f"{v:.3f}" for v in row)]) for k, row in enumerate(table)]
    paths[2].write_text(
        ",".join(["y (mm)", *(f"{v:.2f}" for v in axis)]) + "\n" + "\n".join(body) + "\n", encoding="utf-8"
    )
    truth = {"thickness noise / um": NOISE_UM, "probe noise / nm": PROBE_NOISE_NM,
             "spikes": sorted(int(k) for k in spikes),
             "period / mm": PERIOD_MM, "ripple / um": RIPPLE_UM, "direction / deg": 25.0}  # fmt: skip
    (folder / "truth.json").write_text(json.dumps(truth, indent=1), encoding="utf-8")
    return paths
