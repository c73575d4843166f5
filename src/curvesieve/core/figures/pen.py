"""A pen that draws with Matplotlib and keeps what it did, so that the same can be written as a script."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import reduce
from typing import Any

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.figures import aids


@dataclass(frozen=True)
class Ref:
    """Something that was drawn before, by the name it was kept under: ``ax0``, ``ax0.transAxes``, ``grid[0, 1]``."""

    path: str


@dataclass(frozen=True)
class Made:
    """An object of Matplotlib's, or of `aids`, that is made for a call: ``ticker.AutoMinorLocator(5)``."""

    name: str
    args: tuple[object, ...] = ()
    kwargs: Mapping[str, object] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Numbers:
    """Numbers of a line: what is drawn, and how a script comes to them from the columns of the data.

    `text` is an expression such as ``d["a"] - d["b"]``; what is drawn may be a thinned part of it.
    """

    text: str
    values: Floats


@dataclass(frozen=True)
class Call:
    """One thing that was done: ``into = target.method(*args, **kwargs)``."""

    target: str
    method: str
    args: tuple[object, ...]
    kwargs: Mapping[str, object]
    into: str = ""


class Pen:
    """Does one thing after another to what it keeps under names, the figure being ``fig``."""

    def __init__(self, figure: object) -> None:
        self.kept: dict[str, Any] = {"fig": figure}
        self.calls: list[Call] = []

    def do(self, target: str, method: str, *args: object, into: str = "", **kwargs: object) -> Any:
        """Calls a method of what is kept under a path, and keeps what comes back under `into`. Returns that."""
        act = getattr(self.at(target), method)
        made = act(*map(self._built, args), **{name: self._built(value) for name, value in kwargs.items()})
        self.calls.append(Call(target, method, args, kwargs, into))
        if into:
            self.kept[into] = made
        return made

    def at(self, path: str) -> Any:
        """What is kept under a path such as ``ax0.spines.top`` or ``grid[0, 1]``."""
        name, _, place = path.partition("[")
        first, *rest = name.split(".")
        found = reduce(getattr, rest, self.kept[first])
        numbers = tuple(int(one) for one in place.rstrip("]").split(",")) if place else ()
        return found if not numbers else found[numbers[0] if len(numbers) == 1 else numbers]

    def _built(self, value: object) -> object:
        match value:
            case Ref(path):
                return self.at(path)
            case Made(name, args, kwargs):
                return _maker(name)(*map(self._built, args), **{k: self._built(v) for k, v in kwargs.items()})
            case Numbers(values=values):
                return values
            case list():
                return [self._built(one) for one in value]
        return value


def _maker(name: str) -> Any:
    from matplotlib import ticker

    module, _, function = name.rpartition(".")
    return getattr({"ticker": ticker, "": aids}[module], function)


def source(calls: Sequence[Call]) -> str:
    """What was done, as lines of Python."""
    return "\n".join(_line(call) for call in calls)


def _line(call: Call) -> str:
    said = [*map(_said, call.args), *(f"{name}={_said(value)}" for name, value in call.kwargs.items())]
    kept = f"{call.into} = " if call.into else ""
    return f"{kept}{call.target}.{call.method}({', '.join(said)})"


def _said(value: object) -> str:
    match value:
        case Ref(path) | Numbers(text=path):
            return path
        case Made(name, args, kwargs):
            parts = [*map(_said, args), *(f"{key}={_said(one)}" for key, one in kwargs.items())]
            return f"{name}({', '.join(parts)})"
        case np.floating() | np.integer():
            return repr(value.item())
        case list():
            return f"[{', '.join(map(_said, value))}]"
        case tuple():
            return f"({', '.join(map(_said, value))}{',' if len(value) == 1 else ''})"
        case dict():
            return f"{{{', '.join(f'{_said(key)}: {_said(one)}' for key, one in value.items())}}}"
    return repr(value)
