"""How many planted faults the tests of core find: a seeded sample of small changes, each against the tests that run it.

A change swaps an operator, turns a comparison or a truth round, moves a number or drops a `not`; it is made in a copy
of the sources, so that the working tree is never touched. Which tests run a line is measured first (coverage.py, a
context a test); what runs on import is put to those of its file and to all quick ones. Left alone is what changes no
result: annotations, the words of decorators, sizes of caches, and how much work a step says it is. Comparisons are
turned round, not moved by their edge: < against ≤ means nothing for real numbers. Run by `make mutants`; it rewrites
docs/mutants.md, where each survivor is listed with its place.
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
import xml.etree.ElementTree as ET
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[1]
CORE = Path("src/curvesieve/core")
REPORT = ROOT / "docs" / "mutants.md"
SEED, SAMPLE, AT_A_TIME, WANTED, QUICK_S = 47, 100, 2, 90, 2.0
_SWAPS: dict[type, type] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.Lt: ast.GtE, ast.GtE: ast.Lt,
    ast.Gt: ast.LtE, ast.LtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq, ast.And: ast.Or, ast.Or: ast.And,
    ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
}  # fmt: skip


@dataclass(frozen=True)
class Mutant:
    """One change: in which file and lines, whether on import, what it says before and after, and the whole file."""

    path: Path
    first: int
    last: int
    on_import: bool
    before: str
    after: str
    source: str

    @property
    def of_number(self) -> bool:
        """Whether a number (or a truth) was moved, and not what is done with numbers."""
        return isinstance(ast.parse(self.before, mode="eval").body, ast.Constant)

    @property
    def place(self) -> str:
        return f"{self.path.relative_to(CORE)}:{self.first}"


def changeable(tree: ast.AST) -> list[int]:
    """The numbers, in a walk, of the nodes that can be changed."""
    silent = set()
    for node in ast.walk(tree):
        for name in ("annotation", "returns"):
            silent |= {id(part) for part in ast.walk(getattr(node, name, None) or ast.Pass())}
        decorators = getattr(node, "decorator_list", [])
        effort = [node] if isinstance(node, ast.FunctionDef) and node.name == "effort" else []
        sizes = [node] if isinstance(node, ast.keyword) and node.arg == "maxsize" else []
        silent |= {id(part) for above in (*decorators, *effort, *sizes) for part in ast.walk(above)}
    found = []
    for i, node in enumerate(ast.walk(tree)):
        swapped = isinstance(node, ast.BinOp | ast.BoolOp) and type(node.op) in _SWAPS
        compared = isinstance(node, ast.Compare) and type(node.ops[0]) in _SWAPS
        number = isinstance(node, ast.Constant) and isinstance(node.value, int | float)
        negated = isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not)
        if (swapped or compared or number or negated) and id(node) not in silent:
            found.append(i)
    return found


def mutated(path: Path, place: int) -> Mutant:
    """The file with the node of that number changed."""
    tree = ast.parse((ROOT / path).read_text(encoding="utf-8"))
    parents = {child: node for node in ast.walk(tree) for child in ast.iter_child_nodes(node)}
    node = list(ast.walk(tree))[place]
    above = node
    while not isinstance(above, ast.FunctionDef | ast.Lambda) and above in parents:
        below, above = above, parents[above]
    inside = (isinstance(above, ast.FunctionDef) and below in above.body) or isinstance(above, ast.Lambda)
    before = ast.unparse(node)
    match node:
        case ast.BinOp() | ast.BoolOp():
            node.op = _SWAPS[type(node.op)]()
        case ast.Compare():
            node.ops[0] = _SWAPS[type(node.ops[0])]()
        case ast.Constant(bool(value)):
            node.value = not value
        case ast.Constant(int(value)):
            node.value = value + 1
        case ast.Constant(float(value)):
            node.value = value * 1.5 + 0.1
        case ast.UnaryOp():
            node.op = ast.UAdd()
    last = node.end_lineno or node.lineno
    return Mutant(path, node.lineno, last, not inside, before, ast.unparse(node), ast.unparse(tree))


def sample(count: int, seed: int) -> list[Mutant]:
    """The mutants of a seed, over all files of core, each place alike; the library's data are out."""
    places = []
    for path in sorted((ROOT / CORE).rglob("*.py")):
        if "library" not in path.parts:
            tree = ast.parse(path.read_text(encoding="utf-8"))
            places += [(path.relative_to(ROOT), i) for i in changeable(tree)]
    chosen = random.Random(seed).sample(places, min(len(places), count))
    return [mutated(path, i) for path, i in chosen]


class Runs:
    """Which tests run which lines, and how long each takes."""

    def __init__(self, copies: list[Path]) -> None:
        files = sorted((copies[0] / "tests" / "core").glob("test_*.py"), key=lambda path: -path.stat().st_size)
        shares = [[str(f.relative_to(copies[0])) for f in files[i :: len(copies)]] for i in range(len(copies))]
        self.contexts: dict[Path, dict[int, set[str]]] = {}
        self.seconds: dict[str, float] = {}
        with ThreadPoolExecutor(len(copies)) as pool:
            for copy, done in zip(copies, pool.map(self._measured, copies, shares), strict=True):
                if done:
                    raise SystemExit(f"The tests fail on the sources as they are; mend that first.\n{done}")
                self._read(copy)

    @staticmethod
    def _measured(copy: Path, files: list[str]) -> str:
        (copy / ".coveragerc").write_text("[run]\nsource = src/curvesieve/core\ndynamic_context = test_function\n")
        command = ["-m", "coverage", "run", "-m", "pytest", "-q", "-p", "no:cacheprovider", "--junitxml=seen.xml"]
        done = subprocess.run(
            [sys.executable, *command, *files], cwd=copy, env=_environment(copy), capture_output=True, text=True,
            check=False,
        )  # fmt: skip
        return done.stdout[-3000:] if done.returncode else ""

    def _read(self, copy: Path) -> None:
        from coverage import CoverageData

        data = CoverageData(str(copy / ".coverage"))
        data.read()
        for name in data.measured_files():
            lines = self.contexts.setdefault(Path(name).relative_to(copy), {})
            for line, tests in data.contexts_by_lineno(name).items():
                lines.setdefault(line, set()).update(_node(test) for test in tests if test)
        for case in ET.parse(copy / "seen.xml").getroot().iter("testcase"):
            test = f"{case.get('classname', '').replace('.', '/')}.py::{case.get('name', '').partition('[')[0]}"
            self.seconds[test] = self.seconds.get(test, 0.0) + float(case.get("time", 0))

    def of(self, mutant: Mutant) -> list[str]:
        """The tests that run a mutant's lines, the quickest first.

        What only runs on import can be felt anywhere: by the tests that enter its file, and by all that are quick.
        """
        lines = self.contexts.get(mutant.path, {})
        wanted = set() if mutant.on_import else set(range(mutant.first, mutant.last + 1))
        found = set().union(*(tests for line, tests in lines.items() if line in wanted))
        if not found:
            found = set().union(*lines.values()) | {test for test, seconds in self.seconds.items() if seconds < QUICK_S}
        return sorted(found & set(self.seconds), key=self.seconds.__getitem__)


def _node(context: str) -> str:
    """A test's place for pytest from coverage.py's name of it: ``tests.core.test_a.test_b``."""
    module, _, test = context.rpartition(".")
    return f"{module.replace('.', '/')}.py::{test}"


def _environment(copy: Path) -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": str(copy / "src"), "PYTHONDONTWRITEBYTECODE": "1"}


def killed(mutant: Mutant, copy: Path, runs: Runs) -> bool:
    """Whether a test that runs the mutant's lines fails on it, or does not end in time."""
    tests = runs.of(mutant)
    if not tests:
        return False
    target = copy / mutant.path
    kept = target.read_text(encoding="utf-8")
    target.write_text(mutant.source, encoding="utf-8")
    limit = 60 + 4 * sum(runs.seconds[test] for test in tests)
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *tests]
    try:
        done = subprocess.run(
            command, cwd=copy, env=_environment(copy), capture_output=True, timeout=limit, check=False
        )
        return done.returncode != 0
    except subprocess.TimeoutExpired:
        return True
    finally:
        target.write_text(kept, encoding="utf-8")


def tried(mutants: list[Mutant], copies: list[Path], runs: Runs) -> Iterator[tuple[Mutant, bool]]:
    """(mutant, whether it was killed) in the order of the list, as many at a time as there are copies."""
    free: queue.SimpleQueue[Path] = queue.SimpleQueue()
    for copy in copies:
        free.put(copy)

    def one(mutant: Mutant) -> bool:
        copy = free.get()
        try:
            return killed(mutant, copy, runs)
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
        runs = Runs(copies)
        print(f"{len(runs.seconds)} tests measured in {time.monotonic() - begun:.0f} s", flush=True)
        for mutant, dead in tried(mutants, copies, runs):
            change = f"{mutant.before}  →  {mutant.after}"
            print(f"{'killed  ' if dead else 'SURVIVED'} {mutant.place}  {change}", flush=True)
            if not dead:
                survivors.append(mutant)
    REPORT.write_text(_report(mutants, survivors, seed, time.monotonic() - begun), encoding="utf-8")
    print(f"{len(mutants) - len(survivors)} of {len(mutants)} killed")
    return 0


def _report(mutants: list[Mutant], survivors: list[Mutant], seed: int, seconds: float) -> str:
    rows = []
    for kind, chosen in (
        ("operators, comparisons, negations", [m for m in mutants if not m.of_number]),
        ("numbers and truths", [m for m in mutants if m.of_number]),
        ("all", mutants),
    ):
        dead = sum(m not in survivors for m in chosen)
        rows.append(f"| {kind} | {len(chosen)} | {dead} | {100 * dead / max(len(chosen), 1):.0f} % |")
    lines = [
        "# Do the tests find planted faults?",
        "",
        f"Written by `make mutants`: {len(mutants)} changes of one place in `core/`, seed {seed}, each against the",
        f"tests of `core/` that run its line; wanted: {WANTED} % killed. {seconds / 60:.0f} min.",
        "",
        "| what is changed | planted | killed | share |",
        "|---|---|---|---|",
        *rows,
        "",
        "Survivors. Many numbers among them steer how a start or a step is looked for, and not what is found.",
        "",
        "| place | before | after |",
        "|---|---|---|",
        *(f"| {m.place} | `{m.before}` | `{m.after}` |".replace("\n", " ") for m in survivors),
    ]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    sys.exit(main())
