"""Public functions of core say what they mean, what shapes their arrays have, and what they refuse."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import curvesieve

CORE = Path(curvesieve.__file__).parent / "core"
ARRAYS = re.compile(r"\b(Floats|NDArray|ArrayLike|ndarray)\b")
SHAPES = re.compile(r"[Ss]hapes?\b|any shape|\(n,\)")
ENOUGH = 0.95


def functions() -> Iterator[tuple[str, ast.FunctionDef, bool]]:
    """Every public function and method: its name, itself, and whether it does what a documented one of a base says."""
    for path in sorted(CORE.rglob("*.py")):
        tree = ast.parse(path.read_text(encoding="utf-8"))
        for node in [tree, *(n for n in ast.walk(tree) if isinstance(n, ast.ClassDef) and n.name[0] != "_")]:
            for one in node.body:
                if isinstance(one, ast.FunctionDef) and one.name[0] != "_":
                    name = f"{path.relative_to(CORE)}:{getattr(node, 'name', '')}.{one.name}"
                    yield name, one, isinstance(node, ast.ClassDef) and bool(node.bases) and one.name in OF_BASES


OF_BASES = {"apply", "apply_among", "digest", "effort", "take", "takes", "to_json"}
"""What every step and measure has: `Rule`, `Step` and `Measure` say what it means, the class says what it does."""


def lacking(wanted: dict[str, bool]) -> list[str]:
    return sorted(name for name, there in wanted.items() if not there)


def test_public_functions_have_docstrings():
    told = {name: of_base or bool(ast.get_docstring(one)) for name, one, of_base in functions()}
    assert len(told) > 500
    assert len(lacking(told)) <= (1 - ENOUGH) * len(told), lacking(told)


def annotations(one: ast.FunctionDef) -> list[str]:
    arguments = [*one.args.args, *one.args.kwonlyargs]
    return [ast.unparse(found) for found in (*(a.annotation for a in arguments), one.returns) if found is not None]


def test_those_with_arrays_say_their_shapes():
    told = {
        name: bool(SHAPES.search(ast.get_docstring(one) or ""))
        for name, one, of_base in functions()
        if not of_base and any(ARRAYS.search(text) for text in annotations(one))
    }
    assert len(told) > 60
    assert len(lacking(told)) <= (1 - ENOUGH) * len(told), lacking(told)


def test_those_that_refuse_say_so():
    told = {
        name: bool(re.search(r"[Rr]aises|Refuses", ast.get_docstring(one) or ""))
        for name, one, of_base in functions()
        if not of_base
        and any(
            isinstance(part, ast.Raise) and re.match(r"(Input|Formula)Error\(", ast.unparse(part.exc or part))
            for part in ast.walk(one)
        )
    }
    assert len(told) > 60
    assert len(lacking(told)) <= (1 - ENOUGH) * len(told), lacking(told)
