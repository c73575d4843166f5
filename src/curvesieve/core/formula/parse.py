"""Formula text to a checked syntax tree. Nothing here runs anything but arithmetic on constants.

The text is Python's own expression syntax with ``^`` for powers; `ast` reads it and an allow-list decides. A study
file may come from a stranger, so length, depth, size and constants are bounded before anything is computed.
"""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache

from curvesieve.core.errors import FormulaError, nearest
from curvesieve.core.formula.functions import ALIASES, CONSTANTS, FUNCTIONS, MOST_WHOLE
from curvesieve.core.formula.writing_styles import KEYWORD, Reader

MAX_LENGTH, MAX_DEPTH, MAX_NODES = 5000, 60, 2000
_LINE = re.compile(r"^\s*(?P<name>[^\W\d]\w*)\s*=(?!=)")
_HEAD = re.compile(r"^\s*(?:[yf]|[^\W\d]\w*\s*\(\s*(?P<variable>[^\W\d]\w*)\s*\))\s*=(?!=)")
"""How the last line may begin: with what it is the value of."""
BINARY: dict[type[ast.operator], Callable[[float, float], float]] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul,
    ast.Div: operator.truediv, ast.Pow: math.pow,
}  # fmt: skip
_COMPARE = (ast.Lt, ast.LtE, ast.Gt, ast.GtE)


@dataclass(frozen=True, eq=False)
class Formula:
    """A checked formula. `lets` are the ``name = …`` lines in order, `body` the last expression.

    `parameters` are the unknown names in the order in which they first appear.
    """

    text: str
    variables: tuple[str, ...]
    parameters: tuple[str, ...]
    lets: tuple[tuple[str, ast.expr], ...]
    body: ast.expr


def place_of(node: ast.expr) -> int:
    """The character, from 0, at which a node of a parsed formula begins."""
    return node.end_col_offset or 0


def written_as(node: ast.expr) -> ast.expr:
    """A node as the text has it: plain numbers are folded on reading, ``4*log(2)`` to 2.77…"""
    found: ast.expr = getattr(node, "written", node)
    return found


@lru_cache(maxsize=512)
def parse(text: str, variables: tuple[str, ...] = ("x",)) -> Formula:
    """The formula of a text; raises FormulaError, which names the character and what is allowed."""
    if not text.strip():
        raise FormulaError("The formula is empty; write for example  height*exp(-x/tau) + offset", 0)
    if len(text) > MAX_LENGTH:
        raise FormulaError(f"The formula has {len(text)} characters; at most {MAX_LENGTH} are read.", MAX_LENGTH)
    _check_brackets(text)
    for name in variables:
        if name in CONSTANTS or not name.isidentifier():
            raise FormulaError(f"{name!r} cannot be the name of the variable: choose a plain name such as x or t.")
    lets: list[tuple[str, ast.expr]] = []
    sizes: dict[str, int] = {}
    known: dict[str, None] = {}
    budget = [MAX_NODES]
    lines = [(m.start(), m.group()) for m in re.finditer(r"[^\n;]+", text) if m.group().strip()]
    for i, (start, line) in enumerate(lines):
        last = i == len(lines) - 1
        head = _HEAD.match(line) if last else None
        if head:  # y = …, or y(t) = …
            line, start = line[head.end() :], start + head.end()
        match = _LINE.match(line)
        if match and last:
            raise FormulaError(
                "The last line must be an expression; it is the value of the formula.", start + match.end() - 1
            )
        if not match and not last:
            raise FormulaError("Every line before the last must be of the form  name = expression", start)
        offset = match.end() if match else 0
        checker = _Checker(text, variables, dict(lets), known, budget)
        tree = checker.read(line[offset:], start + offset)
        grown = sum(sizes.get(node.id, 1) if isinstance(node, ast.Name) else 1 for node in ast.walk(tree))
        if grown > MAX_NODES * 2:
            raise FormulaError(
                f"With the lines before it put in, this has more than {MAX_NODES * 2} parts; write it shorter.", start
            )
        if match and not last:
            name = match["name"]
            if name in (*variables, *CONSTANTS, *known) or name in dict(lets):
                raise FormulaError(
                    f"{name!r} already has a meaning here; choose another name.", start + match.start("name")
                )
            lets.append((name, tree))
            sizes[name] = grown
        else:
            return Formula(text, variables, tuple(known), tuple(lets), tree)
    raise FormulaError("The formula is empty.", 0)


def uses(formula: Formula, names: tuple[str, ...]) -> bool:
    """Whether one of the names stands in the formula, or in the lines before it."""
    trees = [formula.body, *(expression for _, expression in formula.lets)]
    return any(isinstance(node, ast.Name) and node.id in names for tree in trees for node in ast.walk(tree))


def variable_said(text: str) -> str:
    """The variable that a last line such as ``y(t) = …`` names; empty where there is none."""
    last = next((line for line in reversed(re.split(r"[\n;]", text)) if line.strip()), "")
    match = _HEAD.match(last)
    return (match["variable"] or "") if match else ""


def understood_variable(text: str, axis: str = "") -> str:
    """The variable of a formula that may not call it x: what it says itself, x, or what can only be meant.

    `axis` is the curve's own name of x. Its name, its first letter, and then a lone t, T or q are understood. Raises
    FormulaError when two could be meant, or when nothing varies.
    """
    said = variable_said(text)
    if said:
        return said
    names = parse(text, ()).parameters
    if "x" in names:
        return "x"
    axis = axis.strip()
    own = [name for name in dict.fromkeys((re.sub(r"\W+", "_", axis), axis[:1], axis[:1].lower())) if name in names]
    found = own or [name for name in ("t", "T", "q") if name in names]
    if len(found) == 1 or (own and found[0] == re.sub(r"\W+", "_", axis)):
        return found[0]
    if found:
        raise FormulaError(
            f"Both {' and '.join(found)} could be the variable; begin with  y({found[0]}) =  to say which.", 0
        )
    raise FormulaError(
        "Nothing varies in this formula: name the variable x, or begin with  y(name) =  to say which name it is.", 0
    )


def _check_brackets(text: str) -> None:
    """Depth and balance first: Python's own parser gives up on deep nesting without saying where."""
    opened: list[int] = []
    for i, character in enumerate(text):
        if character == "(":
            opened.append(i)
            if len(opened) > MAX_DEPTH:
                raise FormulaError(f"Brackets are nested more than {MAX_DEPTH} deep here.", i)
        elif character == ")":
            if not opened:
                raise FormulaError("This bracket closes nothing; remove it or open one before it.", i)
            opened.pop()
        elif character in "\n;" and opened:
            break
    if opened:
        raise FormulaError("This bracket is never closed; add “)”.", opened[-1])


class _Checker:
    """Checks one expression against the allow-list and folds constants to plain numbers."""

    def __init__(
        self,
        text: str,
        variables: tuple[str, ...],
        lets: dict[str, ast.expr],
        known: dict[str, None],
        budget: list[int],
    ) -> None:
        self.text, self.variables, self.lets, self.known, self.budget = text, variables, lets, known, budget
        self.places: list[int] = []

    def read(self, source: str, start: int) -> ast.expr:
        stripped = source.lstrip()
        start += len(source) - len(stripped)
        if not stripped:
            raise FormulaError("Behind the = there is nothing yet; write the expression there.", max(start - 1, 0))
        reader = Reader(stripped, start)
        pieces, self.places = reader.pieces, reader.places
        self.places.append(start + len(stripped.rstrip()))
        try:
            tree = ast.parse("".join(pieces).rstrip(), mode="eval").body
        except SyntaxError as error:
            column = len("".join(pieces)[: max((error.offset or 1) - 1, 0)].encode())
            unfinished = stripped.rstrip()[-1] in "+-*/^<>,"  # Python then points at the beginning
            place = self.places[-1] if unfinished else self._place(column)
            raise FormulaError(_plain_syntax(error, stripped), place) from None
        except (ValueError, MemoryError, RecursionError):
            raise FormulaError("The formula cannot be read; it may be nested too deep.", start) from None
        checked = self._check(tree, 0)
        if isinstance(checked, ast.Compare):
            raise self._refuse(checked, "A comparison stands only first in where(condition, if true, if not).")
        for node in ast.walk(checked):
            if isinstance(node, ast.expr):
                node.end_col_offset = self._place(node.col_offset)  # the place in the whole text; see `place_of`
        return checked

    def _place(self, column: int) -> int:
        return self.places[min(column, len(self.places) - 1)]

    def _refuse(self, node: ast.expr, message: str) -> FormulaError:
        return FormulaError(message, self._place(node.col_offset))

    def _check(self, node: ast.expr, depth: int) -> ast.expr:
        self.budget[0] -= 1
        if depth > MAX_DEPTH * 4 or self.budget[0] < 0:
            raise self._refuse(node, f"The formula is too long: at most {MAX_NODES} names, numbers and operations.")
        match node:
            case ast.Constant():
                return self._constant(node)
            case ast.Name():
                node.id = node.id.removeprefix(KEYWORD)
                return self._name(node, node.id)
            case ast.UnaryOp(op=ast.UAdd() | ast.USub()):
                node.operand = self._check(node.operand, depth + 1)
            case ast.BinOp() if type(node.op) in BINARY:
                node.left = self._check(node.left, depth + 1)
                node.right = self._check(node.right, depth + 1)
            case ast.Call():
                self._call(node, depth)
            case ast.Compare(ops=[op]) if isinstance(op, _COMPARE):
                node.left = self._check(node.left, depth + 1)
                node.comparators = [self._check(node.comparators[0], depth + 1)]
                return node
            case _:
                raise self._refuse(
                    node,
                    f"{_described(node)} cannot be used; a formula has numbers, names, + − * / ^, < > and functions.",
                )
        return self._folded(node)

    def _constant(self, node: ast.Constant) -> ast.expr:
        if isinstance(node.value, bool) or not isinstance(node.value, (int, float)):
            raise self._refuse(node, f"{_described(node)} cannot be used; write plain numbers such as 2 or 1.5e-3.")
        try:
            value = float(node.value)
        except OverflowError:
            value = math.inf
        return self._number(node, value)

    def _number(self, node: ast.expr, value: float) -> ast.Constant:
        if not math.isfinite(value):
            raise self._refuse(node, "This number is too large to compute with.")
        number = ast.copy_location(ast.Constant(value), node)
        number.written = node  # type: ignore[attr-defined]  # what stands in the text; see `written_as`
        return number

    def _name(self, node: ast.Name, name: str) -> ast.expr:
        if name.startswith("_") or len(name) > 60:
            raise self._refuse(node, f"{name[:20]!r} is no good name: begin with a letter, at most 60 characters.")
        if name in CONSTANTS:
            return self._number(node, CONSTANTS[name])
        if name not in self.variables and name not in self.lets:
            self.known.setdefault(name)
        return node

    def _call(self, node: ast.Call, depth: int) -> None:
        if not isinstance(node.func, ast.Name):
            raise self._refuse(node, "Only the known functions can be called; a missing * may be the reason.")
        node.func.id = name = ALIASES.get(node.func.id, node.func.id)
        if name not in FUNCTIONS:
            hint = nearest(name, list(FUNCTIONS))
            raise self._refuse(node, f"There is no function {name!r}{hint or '; known are ' + ', '.join(FUNCTIONS)}")
        if node.keywords or any(isinstance(argument, ast.Starred) for argument in node.args):
            raise self._refuse(node, f"{name} takes plain arguments only.")
        low, high = FUNCTIONS[name].arity
        if not low <= len(node.args) <= high:
            wanted = f"{low}" if low == high else f"{low} to {high}"
            raise self._refuse(node, f"{name} takes {wanted} argument{'s' if high > 1 else ''}, not {len(node.args)}.")
        node.args = [self._check(argument, depth + 1) for argument in node.args]
        if FUNCTIONS[name].whole or FUNCTIONS[name].order:
            first = node.args[0]
            value = float(first.value) if isinstance(first, ast.Constant) else -1.0  # type: ignore[arg-type]
            whole = "whole " if FUNCTIONS[name].whole else ""
            if not (0 <= value <= MOST_WHOLE and (value.is_integer() or not whole)):
                raise self._refuse(first, f"{name} begins with a plain {whole}number from 0 to {MOST_WHOLE}.")
        for i, argument in enumerate(node.args):
            if isinstance(argument, ast.Compare) != (name == "where" and i == 0):
                raise self._refuse(argument, "A comparison stands only first in where(condition, if true, if not).")

    def _folded(self, node: ast.expr) -> ast.expr:
        """A node of plain numbers becomes one number, so that 9^9^9 ends here and not in the algebra."""
        operands = list(_operands(node))
        if any(isinstance(operand, ast.Compare) for operand in operands) and not isinstance(node, ast.Call):
            raise self._refuse(node, "A comparison stands only first in where(condition, if true, if not).")
        if not operands or not all(isinstance(operand, ast.Constant) for operand in operands):
            return node
        values = [float(operand.value) for operand in operands if isinstance(operand, ast.Constant)]  # type: ignore[arg-type]
        try:
            match node:
                case ast.UnaryOp(op=ast.USub()):
                    return self._number(node, -values[0])
                case ast.BinOp():
                    return self._number(node, BINARY[type(node.op)](*values))
                case ast.Call(func=ast.Name(id=name)):
                    import numpy as np

                    with np.errstate(all="ignore"):
                        return self._number(node, float(FUNCTIONS[name].value(*values)))
        except ZeroDivisionError:
            raise self._refuse(node, "This divides by zero.") from None
        except (OverflowError, ValueError):
            raise self._refuse(node, "This number is too large, or not a real number.") from None
        return self._number(node, values[0])


def _operands(node: ast.expr) -> Iterator[ast.expr]:
    match node:
        case ast.UnaryOp(operand=operand):
            yield operand
        case ast.BinOp(left=left, right=right):
            yield from (left, right)
        case ast.Call(args=args):
            yield from args


def _described(node: ast.expr) -> str:
    names = {
        ast.Attribute: "A dot", ast.Subscript: "A square bracket", ast.Lambda: "lambda", ast.BoolOp: "and/or",
        ast.IfExp: "if/else", ast.Tuple: "A comma", ast.List: "A list", ast.Dict: "A brace", ast.JoinedStr: "A text",
        ast.Constant: "A text", ast.NamedExpr: ":=", ast.Compare: "This comparison", ast.UnaryOp: "This operator",
        ast.BinOp: "This operator", ast.Set: "A brace",
    }  # fmt: skip
    return names.get(type(node), "This")


def _plain_syntax(error: SyntaxError, source: str) -> str:
    if "=" in source.replace("<=", "").replace(">=", "").replace("==", ""):
        return "An equals sign is only for lines of the form  name = expression"
    if re.search(r"\d\s*[A-Za-z(]|\)\s*[\w(]", source):
        return "Something is missing here; a product needs its *, as in 2*x."
    return "The formula breaks off here; a name, a number or a bracket is missing."
