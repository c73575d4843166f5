"""Mutated files: whatever is done to a file, reading it gives tables or one sentence, soon. `make fuzz` runs 20,000."""

from __future__ import annotations

import multiprocessing
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from curvesieve.core.errors import InputError
from curvesieve.core.formats import tables
from curvesieve.core.intake.applied import apply_pattern
from curvesieve.core.intake.library import recognise
from curvesieve.core.record import Source

SLOW_S = 5.0
_STRD = Path(__file__).parent.parent / "tests" / "reference" / "strd"
_MARKS = (
    b",",
    b";",
    b"\t",
    b" ",
    b"\n",
    b"\r\n",
    b'"',
    b".",
    b"-",
    b"e",
    b"NaN",
    b"1e999",
    b"##END=",
    b"\x00",
    b"\xff",
)


def corpus() -> list[tuple[str, bytes]]:
    """The demo's mixed and awkward files, and the first StRD files; none above 200 kB."""
    from curvesieve.demo.awkward import write_awkward
    from curvesieve.demo.mixed import write_mixed

    with tempfile.TemporaryDirectory() as folder:
        paths = [*write_mixed(Path(folder) / "m"), *write_awkward(Path(folder) / "a"), *sorted(_STRD.glob("*.dat"))[:6]]
        found = [(path.name, path.read_bytes()) for path in paths]
    return [(name, content) for name, content in found if 0 < len(content) < 200_000]


def mutate(content: bytes, rng: np.random.Generator) -> bytes:
    """The content with one to four faults: bytes changed, cut, doubled, moved, or marks put in."""
    data = bytearray(content)
    for _ in range(int(rng.integers(1, 5))):
        at, size = int(rng.integers(0, len(data) + 1)), int(rng.integers(1, 200))
        match int(rng.integers(0, 7)):
            case 0:
                data[at : at + 4] = rng.bytes(4)
            case 1:
                del data[at : at + size]
            case 2:
                data[at:at] = data[at : at + size]
            case 3:
                data[at:at] = _MARKS[int(rng.integers(len(_MARKS)))] * int(rng.integers(1, 4))
            case 4:
                del data[at:]
            case 5:
                other = int(rng.integers(0, len(data) + 1))
                data[at : at + size] = data[other : other + size]
            case 6 if data:
                data[at % len(data)] ^= 1 << int(rng.integers(8))
        if not data:
            data += b"0"
    return bytes(data)


def attempt(name: str, content: bytes) -> str:
    """``read`` or ``refused``; anything but an InputError is let through. What is read is taken and looked at, too."""
    try:
        for table in tables(Source(name, content)):
            for row in (0, len(table.found.lines) // 2, len(table.found.lines) - 1):
                table.found.row_kind(row)
            found, pattern = recognise(table, [])
            apply_pattern(found.record, pattern)
    except InputError as error:
        if not str(error).strip():
            raise AssertionError("a refusal without a sentence") from error
        return "refused"
    return "read"


def run(count: int, seed: int, files: Sequence[tuple[str, bytes]]) -> tuple[dict[str, int], float, list[str]]:
    """How many were read and refused, the slowest in s, and a line for each crash or slow one."""
    rng = np.random.default_rng(seed)
    said, slowest, faults = {"read": 0, "refused": 0}, 0.0, []
    for i in range(count):
        name, content = files[int(rng.integers(len(files)))]
        mutated = mutate(content, rng)
        begin = time.perf_counter()
        try:
            said[attempt(name, mutated)] += 1
        except Exception as error:
            faults.append(f"seed {seed}, {i}, {name}: {type(error).__name__}: {error}")
        took = time.perf_counter() - begin
        slowest = max(slowest, took)
        if took > SLOW_S:
            faults.append(f"seed {seed}, {i}, {name}: {took:.1f} s")
    return said, slowest, faults


def main(count: int) -> int:
    files, parts = corpus(), 20
    begin = time.perf_counter()
    with multiprocessing.get_context("spawn").Pool() as pool:
        results = pool.starmap(run, [(count // parts, seed, files) for seed in range(parts)])
    read = sum(said["read"] for said, _, _ in results)
    refused = sum(said["refused"] for said, _, _ in results)
    faults = [fault for _, _, some in results for fault in some]
    print(f"{count} mutated files of {len(files)}: {read} read, {refused} refused, {len(faults)} faults;", end=" ")
    print(f"slowest {max(slow for _, slow, _ in results):.2f} s, {time.perf_counter() - begin:.0f} s in all")
    print("\n".join(faults))
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 20_000))
