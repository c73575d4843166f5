"""Tension tests as a machine records them, made up, with what is true of each beside it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats

MATERIALS = ("round yield", "sharp yield", "necking polymer", "brittle polymer")


@dataclass(frozen=True, eq=False)
class Specimen:
    """A stress–strain law with what follows from it: strain as a fraction, stress in MPa, of shape (n,).

    `yield_02` is the stress where the curve meets the elastic line moved by 0.002; None where it breaks before.
    """

    material: str
    strain: Floats
    stress: Floats
    modulus: float
    yield_02: float | None
    strength: float
    toughness: float


def specimen(material: str, modulus: float, strength: float, points: int = 20_000) -> Specimen:
    """The law of a material of this modulus and about this strength, both in MPa; smooth, without noise."""
    if material == "round yield":  # W. Ramberg, W. R. Osgood, NACA TN 902 (1943): ε = σ/E + 0.002 (σ/σ₀)^n
        stress = np.concatenate([np.linspace(0, 0.7, points // 2), np.linspace(0.7, 1.25, points // 2)[1:]])
        stress *= strength / 1.25
        first = strength / 1.25
        strain = stress / modulus + 0.002 * (stress / first) ** 20
    elif material == "sharp yield":
        upper = 0.72 * strength
        lower = 0.93 * upper
        start = upper / modulus
        strain = np.concatenate([np.linspace(0, start, points // 2), np.linspace(start, 0.18, points // 2)[1:]])
        hard = lower + (strength - lower) * (1 - np.exp(-np.maximum(strain - 0.02, 0) / 0.05))
        drop = lower + (upper - lower) * np.exp(-np.maximum(strain - start, 0) / (0.05 * start))
        stress = np.where(strain <= start, modulus * strain, np.where(strain < 0.02, drop, hard))
    elif material == "necking polymer":
        strain = np.linspace(0, 1.2, points)
        rate = modulus / strength
        rising = strength * (1 - np.exp(-rate * strain))
        neck = 1 - 0.3 / (1 + np.exp(-(strain - 0.12) / 0.01))
        stress = rising * neck + 0.25 * strength * np.maximum(strain - 0.5, 0)
    elif material == "straight":
        strain = np.linspace(0, strength / modulus, points)
        stress = modulus * strain
    else:
        strain = np.linspace(0, strength / modulus * 1.1, points)
        stress = modulus * strain * (1 - 0.04 * strain / strain[-1])
    return Specimen(
        material, strain, stress, float(modulus), _offset_yield(strain, stress, modulus, 0.002),
        float(stress.max()), float(np.trapezoid(stress, strain)),
    )  # fmt: skip


def _offset_yield(strain: Floats, stress: Floats, modulus: float, offset: float) -> float | None:
    """Where the law meets its elastic line moved by an offset, on straight lines between its points."""
    over = stress - modulus * (strain - offset)
    below = np.flatnonzero((over[:-1] > 0) & (over[1:] <= 0))
    if not below.size:
        return None
    i = int(below[0])
    share = over[i] / (over[i] - over[i + 1])
    return float(stress[i] + share * (stress[i + 1] - stress[i]))


@dataclass(frozen=True)
class Machine:
    """What a machine does to a test: noise of the force as a share of its largest, preload, toe, steps of the force."""

    noise: float = 0.001
    preload: float = 0.0
    toe: float = 0.0
    quantum: float = 0.0
    points: int = 2000


def recorded(made: Specimen, machine: Machine, rng: np.random.Generator) -> tuple[Floats, Floats]:
    """Strain and stress as they were recorded, of shape (machine.points,).

    Half of the points lie in the first part up to yield, as machines sample: fast at first. A toe is slack that is
    taken up over that strain, a preload is stress that is there when the record begins, and strain is counted from it.
    """
    bend = made.strength * 0.6 / made.modulus
    split = min(2 * bend, made.strain[-1])
    parts = (
        np.linspace(0, split, machine.points // 2),
        np.linspace(split, made.strain[-1], machine.points - machine.points // 2 + 1)[1:],
    )
    strain = np.unique(np.concatenate(parts))
    stress = np.interp(strain, made.strain, made.stress)
    if machine.toe:  # at first the grips give: strain grows by slack that is used up
        slack = machine.toe * (1 - np.exp(-stress / (0.03 * made.strength)))
        strain = strain + slack
    if machine.preload:
        before = machine.preload * made.strength / made.modulus
        strain, stress = strain[strain >= before] - before, stress[strain >= before]
    stress = stress + rng.normal(0, machine.noise * made.strength, stress.size)
    if machine.quantum:
        step = machine.quantum * made.strength
        stress = np.round(stress / step) * step
    return strain, stress
