"""Made-up X-ray diffraction of marram films with silver, and of a reference powder that shows the instrument's widths.

Crystallites grow with the loading and are strained the less: Voigt reflections, Lorentzian by the sample and Gaussian
by the instrument (a Caglioti curve), over the broad halo of cellulose. Nothing here was measured.
"""

from __future__ import annotations

import json
import math
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from curvesieve.core.crystal import CELLS, planes_of
from curvesieve.core.curve import Floats
from curvesieve.demo.raman import SEED

FOLDER = "diffraction"
WAVELENGTH = 0.15405929
_SILVER, _REFERENCE = 0.40862, 0.41569
"""Edges of the cubic cells in nm: silver's, and that of a hexaboride powder (common practice)."""
U, V, W = 0.0110, -0.0062, 0.0076
"""FWHM² = U·tan²θ + V·tan θ + W of the instrument, in degrees squared."""
_FIRST, _LAST, _STEP = 30.0, 90.0, 0.02
_SHARES = (1.0, 0.52, 0.38, 0.42, 0.16)
"""Heights of silver's first reflections against the first."""


@dataclass(frozen=True)
class Film:
    """The truth of one film: mean size in nm and strain of its crystallites, height of its first reflection."""

    loading: float
    size: float
    strain: float
    height: float

    @property
    def file_name(self) -> str:
        return f"xrd-{self.loading:.1f}".replace(".", "p") + "wt.xy"


FILMS = (
    Film(0.5, 9.0, 2.6e-3, 800.0),
    Film(1.0, 12.5, 2.0e-3, 1500.0),
    Film(2.0, 17.0, 1.5e-3, 2700.0),
    Film(4.0, 22.0, 1.1e-3, 4800.0),
)
REFERENCE_NAME = "reference-powder.xy"


def instrument_width(theta: float) -> float:
    """FWHM of the instrument at an angle in radians, in degrees of 2θ."""
    return math.sqrt(U * math.tan(theta) ** 2 + V * math.tan(theta) + W)


def sample_width(film: Film, theta: float) -> float:
    """FWHM that size and strain give a reflection, in degrees of 2θ: 0.9·λ/(D·cos θ) + 4·ε·tan θ."""
    return math.degrees(0.9 * WAVELENGTH / (film.size * math.cos(theta)) + 4 * film.strain * math.tan(theta))


def _angles(edge: float, centring: str) -> list[float]:
    """θ of the reflections of a cubic cell within the range, in radians."""
    largest = (2 * math.sin(math.radians(_LAST / 2)) / WAVELENGTH) ** 2
    found = [math.asin(WAVELENGTH / 2 * math.sqrt(s)) for s, _ in planes_of(CELLS["cubic"], centring, [edge], largest)]
    return [theta for theta in found if _FIRST + 2 < 2 * math.degrees(theta) < _LAST - 2]


def _voigt(x: Floats, center: float, gauss: float, lorentz: float) -> Floats:
    """A Voigt profile of height 1 with these full widths."""
    from scipy.special import voigt_profile

    sigma = gauss / math.sqrt(8 * math.log(2))
    made = voigt_profile(x - center, sigma, lorentz / 2)
    return np.asarray(made / voigt_profile(0.0, sigma, lorentz / 2))


def _film(film: Film, x: Floats) -> Floats:
    y: Floats = 90 + 420 * np.exp(-(((x - 22.5) / 9.5) ** 2)) + 70 * np.exp(-(((x - 46.0) / 14.0) ** 2))
    for theta, share in zip(_angles(_SILVER, "face-centred"), _SHARES, strict=True):
        width = instrument_width(theta), sample_width(film, theta)
        y = y + film.height * share * _voigt(x, 2 * math.degrees(theta), *width)
    return y


def _reference(x: Floats) -> Floats:
    y = np.full(x.size, 60.0)
    for place, theta in enumerate(_angles(_REFERENCE, "primitive")):
        height = 5200 * (0.55 + 0.45 * math.cos(1.9 * place) ** 2)
        y = y + height * _voigt(x, 2 * math.degrees(theta), instrument_width(theta), 1e-4)
    return y


def _text(sample: str, x: Floats, counts: Floats, loading: float | None) -> str:
    head = ["; made-up demo data", f"; Sample: {sample}", "; Anode: Cu, monochromator for Kα1"]
    head += [f"; Wavelength: {WAVELENGTH} nm", "; Step time: 2.0 s"]
    head += [] if loading is None else [f"; Loading: {loading:g} wt%"]
    rows = [f"{a:.3f} {b:.0f}" for a, b in zip(x, counts, strict=True)]
    return "\n".join([*head, "2theta/deg Intensity/counts", *rows, ""])


def write_diffraction(folder: Path, seed: int = SEED) -> list[Path]:
    """Writes a pattern a film and that of the reference, with the truth beside them; returns the files' paths."""
    folder.mkdir(parents=True, exist_ok=True)
    x = np.round(np.arange(_FIRST, _LAST + _STEP / 2, _STEP), 3)
    paths = []
    for k, film in enumerate(FILMS):
        counts = np.random.default_rng([seed, 70 + k]).poisson(_film(film, x)).astype(float)
        path = folder / film.file_name
        path.write_text(_text(f"marram film, {film.loading:g} wt% silver", x, counts, film.loading), encoding="utf-8")
        paths.append(path)
    counts = np.random.default_rng([seed, 79]).poisson(_reference(x)).astype(float)
    path = folder / REFERENCE_NAME
    path.write_text(_text("reference powder", x, counts, None), encoding="utf-8")
    truth: dict[str, object] = {film.file_name: asdict(film) for film in FILMS}
    truth["instrument"] = {"U": U, "V": V, "W": W}
    (folder / "truth.json").write_text(json.dumps(truth, indent=1), encoding="utf-8")
    return [*paths, path]
