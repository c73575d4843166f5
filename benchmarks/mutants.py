"""How many planted faults the tests of core find: a seeded sample of small changes, each against the tests of its room.

A change swaps an operator, a comparison or a number, or drops a `not`; it is made in a copy of the sources, so that
the working tree is never touched. A mutant that no test of `TESTS` kills is listed with its place. Run by `make
mutants`; it rewrites docs/mutants.md.
"""

from __future__ import annotations

import ast
import os
import queue
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[1]
CORE = ROOT / "src" / "curvesieve" / "core"
REPORT = ROOT / "docs" / "mutants.md"
SEED, SAMPLE, LIMIT_S = 26, 60, 400
AT_A_TIME = 2
TESTS = {
    "fitting": ("bounds", "intervals", "fitting", "after_fit", "currency", "second_opinion", "narrow"),
    "formula": ("styles", "formula", "printing", "hostile", "terms"),
    "steps": ("steps", "steps_outside", "left_out", "despike"),
    "formats": ("rows_told", "formats", "text", "awkward_text", "writing"),
    "intake": ("intake", "rows_told", "condition"),
    "study": ("study", "currency"),
    "readings": ("currency", "after_fit", "terms"),
    "models": ("terms", "models", "fitting", "after_fit"),
    "reading": ("units_and_readings",),
    "units": ("units_and_readings", "left_out", "rows_told"),
}
"""The tests that each room answers to, the likeliest first."""
_SWAPS: dict[type, type] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.Lt: ast.LtE, ast.LtE: ast.Lt,
    ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq, ast.And: ast.Or, ast.Or: ast.And,
    ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
}  # fmt: skip


@dataclass(frozen=True)
class Mutant:
    """One change: in which file and line, what it says before and after."""

    path: Path
    line: int
    before: str
    after: str
    source: str


def candidates(path: Path) -> list[tuple[int, str]]:
    """(number of the node in a walk, kind of change) for every place of a file that can be changed."""
    found = []
    for i, node in enumerate(ast.walk(ast.parse(path.read_text(encoding="utf-8")))):
        if isinstance(node, ast.BinOp | ast.BoolOp) and type(node.op) in _SWAPS:
            found.append((i, "operator"))
        elif isinstance(node, ast.Compare) and type(node.ops[0]) in _SWAPS:
            found.append((i, "comparison"))
        elif isinstance(node, ast.Constant) and isinstance(node.value, int | float) and node.value is not True:
            found.append((i, "number"))
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            found.append((i, "not"))
    return found


def mutated(path: Path, place: int, kind: str) -> Mutant | None:
    """The file with one change; None where it would change nothing that runs."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    parents = {child: node for node in ast.walk(tree) for child in ast.iter_child_nodes(node)}
    node = list(ast.walk(tree))[place]
    if isinstance(parents.get(node), ast.Expr | ast.AnnAssign) and kind != "number":
        return None
    before = ast.unparse(node)
    if kind == "operator":
        node.op = _SWAPS[type(node.op)]()  # type: ignore[attr-defined]
    elif kind == "comparison":
        node.ops[0] = _SWAPS[type(node.ops[0])]()  # type: ignore[attr-defined]
    elif kind == "number":
        node.value = node.value + 1 if isinstance(node.value, int) else node.value * 1.5 + 0.1  # type: ignore[attr-defined]
    else:
        node.op = ast.UAdd()  # type: ignore[attr-defined]
    return Mutant(path, getattr(node, "lineno", 0), before, ast.unparse(node), ast.unparse(tree))


def sample(count: int, seed: int) -> list[Mutant]:
    """The mutants of a seed, over all rooms of `TESTS`, each place alike."""
    places = []
    for path in sorted(CORE.rglob("*.py")):
        if room_of(path) in TESTS and "library" not in path.parts:
            places += [(path, i, kind) for i, kind in candidates(path)]
    chosen = random.Random(seed).sample(places, min(len(places), 3 * count))
    made = (mutated(path, i, kind) for path, i, kind in chosen)
    return [mutant for mutant in made if mutant is not None][:count]


def room_of(path: Path) -> str:
    """The room of a file of core: its folder, or its own name."""
    return path.relative_to(CORE).parts[0].removesuffix(".py")


def killed(mutant: Mutant, copy: Path) -> bool:
    """Whether a test of the mutant's room fails on it (or does not end in time)."""
    target = copy / mutant.path.relative_to(ROOT)
    kept = target.read_text(encoding="utf-8")
    target.write_text(mutant.source, encoding="utf-8")
    try:
        return fails(room_of(mutant.path), copy)
    finally:
        target.write_text(kept, encoding="utf-8")


def fails(room: str, copy: Path) -> bool:
    """Whether the tests of a room fail on the sources as they are in the copy."""
    names = [f"tests/core/test_{name}.py" for name in TESTS[room]]
    environment = {**os.environ, "PYTHONPATH": str(copy / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *names]
    try:
        done = subprocess.run(command, cwd=copy, env=environment, capture_output=True, timeout=LIMIT_S, check=False)
        return done.returncode != 0
    except subprocess.TimeoutExpired:
        return True


def tried(mutants: list[Mutant], copies: list[Path]) -> Iterator[tuple[Mutant, bool]]:
    """(mutant, whether it was killed) in the order of the list, as many at a time as there are copies."""
    free: queue.SimpleQueue[Path] = queue.SimpleQueue()
    for copy in copies:
        free.put(copy)

    def one(mutant: Mutant) -> bool:
        copy = free.get()
        try:
            return killed(mutant, copy)
        finally:
            free.put(copy)

    with ThreadPoolExecutor(len(copies)) as pool:
        yield from zip(mutants, pool.map(one, mutants), strict=True)


def copied(folder: Path) -> Path:
    """A copy of what the tests need, in `folder`."""
    for name in ("src", "tests", "benchmarks"):
        shutil.copytree(ROOT / name, folder / name, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(ROOT / "pyproject.toml", folder)
    return folder


def main() -> int:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else SAMPLE
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else SEED
    begun, survivors = time.monotonic(), []
    mutants = sample(count, seed)
    with tempfile.TemporaryDirectory() as folder:
        copies = [copied(Path(folder) / str(i)) for i in range(AT_A_TIME)]
        for room in sorted({room_of(mutant.path) for mutant in mutants}):
            started = time.monotonic()
            if fails(room, copies[0]):
                print(f"The tests of {room} fail on the sources as they are; mend that first.")
                return 1
            print(f"{room}: {time.monotonic() - started:.0f} s", flush=True)
        for mutant, dead in tried(mutants, copies):
            place = f"{mutant.path.relative_to(ROOT)}:{mutant.line}"
            print(f"{'killed  ' if dead else 'SURVIVED'} {place}  {mutant.before}  →  {mutant.after}", flush=True)
            if not dead:
                survivors.append((place, mutant.before, mutant.after))
    count = len(mutants)
    share = 100 * (count - len(survivors)) / max(count, 1)
    lines = [
        "# Do the tests find planted faults?",
        "",
        f"Written by `make mutants`: {count} changes of one operator, comparison or number in `core/`, seed {seed},",
        f"each against the tests of its room; {count - len(survivors)} killed, {share:.0f} % (wanted: 90 %), "
        f"{(time.monotonic() - begun) / 60:.0f} min. Survivors:",
        "",
        "| place | before | after |",
        "|---|---|---|",
        *(f"| {place} | `{before}` | `{after}` |".replace("\n", " ") for place, before, after in survivors),
    ]
    REPORT.write_text("\n".join(lines) + "\n", encoding="utf-8")
    print(f"{count - len(survivors)} of {count} killed")
    return 0


if __name__ == "__main__":
    sys.exit(main())
