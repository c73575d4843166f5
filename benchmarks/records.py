"""Five hundred generated tension records: how many are read as they were made, or say why not."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.sets import read_test
from curvesieve.demo.tension import Machine, recorded, specimen

MATERIALS = {
    "metal, round yield": ("round yield", 70_000, 300), "metal, sharp yield": ("sharp yield", 205_000, 450),
    "polymer, necking": ("necking polymer", 1500, 30), "polymer, brittle": ("brittle polymer", 3200, 60),
}  # fmt: skip
"""Law, modulus and strength in MPa; aluminium near 69 GPa and steel near 205 GPa are common practice."""
EACH = 125
NOISE = 0.001


@dataclass
class Count:
    """Of one material: for each claim, whether each record that could make it did."""

    said: dict[str, list[bool]] = field(default_factory=dict)

    def add(self, claim: str, holds: bool) -> None:
        self.said.setdefault(claim, []).append(bool(holds))


def machine_of(rng: np.random.Generator, plain: bool) -> Machine:
    """Noise alone, or preload, toe and coarse steps of the force with it."""
    if plain:
        return Machine(noise=NOISE)
    return Machine(
        noise=NOISE, preload=float(rng.uniform(0, 0.02)), toe=float(rng.choice([0.0, 0.0002])),
        quantum=float(rng.choice([0.0, 0.002])), points=int(rng.integers(800, 3000)),
    )  # fmt: skip


def record_of(strain: np.ndarray, stress: np.ndarray, rng: np.random.Generator, off: bool) -> Record:
    """As a machine's file: crosshead and extensometer in mm, force in N; `off`: the extensometer is taken off."""
    crosshead = strain * 100
    extension = strain * 50
    if off:
        extension = extension.copy()
        extension[int(rng.uniform(0.6, 0.8) * strain.size) :] = extension[0]
    channels = (Channel("Crosshead", "mm", crosshead), Channel("Extensometer", "mm", extension),
                Channel("Force", "N", stress * 40))  # fmt: skip
    sizes = (("Width", "10 mm"), ("Thickness", "4 mm"), ("Gauge length", "50 mm"), ("Grip distance", "100 mm"))
    return Record(Source("record.csv", b""), channels, sizes)


def count(material: str, each: int = EACH) -> Count:
    """Reads the records of a material: half with noise alone, half as they come."""
    law, modulus, strength = MATERIALS[material]
    found = Count()
    for seed in range(each):
        rng = np.random.default_rng(seed)
        plain = seed % 2 == 0
        made = specimen(law, modulus * rng.uniform(0.7, 1.4), strength * rng.uniform(0.7, 1.4))
        strain, stress = recorded(made, machine_of(rng, plain), rng)
        strain = np.append(strain, strain[-1] * np.array([1.0005, 1.001]))
        stress = np.append(stress, [0.03 * made.strength, 0.0])
        test = read_test(record_of(strain, stress, rng, off=not plain and seed % 4 == 1))
        read = {one.name: one for one in test.readings}
        doubtful = {one.slot.title for one in test.done.outcomes if one.warning}
        found.add("an answer or a reason", all(one.readings or one.problem for one in test.done.outcomes))
        if "E" in read:
            sure = "E" not in doubtful
            found.add("E told, without a mark of doubt", sure)
            if sure:
                away = abs(read["E"].value * 1000 - made.modulus)
                found.add("of these E within 0.5 %", away <= 0.005 * made.modulus)
                found.add("of these E within 2u", away <= 2000 * (read["E"].u or 0.0))
        if "Rp0.2" in read and made.yield_02 is not None and "E" not in doubtful:
            found.add("Rp0.2 within 0.5 %", abs(read["Rp0.2"].value - made.yield_02) <= 0.005 * made.yield_02)
        if "Rm" in read:
            away = abs(read["Rm"].value - made.strength)
            found.add("Rm within 5 times the noise", away <= 5 * NOISE * made.strength)
        if "W" in read:
            found.add("W within 0.2 %", abs(read["W"].value - made.toughness) <= 0.002 * made.toughness)
    return found


def lines() -> list[str]:
    """A table in Markdown: a row a claim, a column a material."""
    counts = {name: count(name) for name in MATERIALS}
    claims = list(dict.fromkeys(claim for one in counts.values() for claim in one.said))
    made = [
        "## Five hundred generated tension records", "",
        "Through a machine's file and the tension recipe, toe compensation included. Half have 0.1 % noise of force "
        "alone, half also preload, a toe, coarse steps of the force; in half of these the extensometer is taken off. "
        "Both polymers bend from their beginning: their E is the slope of no straight part and is marked; a toe "
        "hides it.",
        "", f"| of {EACH} records each | {' | '.join(counts)} |", "|---|" + "---|" * len(counts),
    ]  # fmt: skip
    for claim in claims:
        cells = []
        for one in counts.values():
            held = one.said.get(claim, [])
            cells.append(f"{sum(held)} of {len(held)}" if held else "–")
        made.append(f"| {claim} | {' | '.join(cells)} |")
    return [*made, ""]


if __name__ == "__main__":
    print("\n".join(lines()))
