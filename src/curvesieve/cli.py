"""The command line: the same core without a window. Exit status 0 done, 2 wrong input, 1 a defect of ours."""

from __future__ import annotations

import argparse
import json
import math
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from curvesieve.core.errors import InputError

if TYPE_CHECKING:
    from curvesieve.core.curve import Curve
    from curvesieve.core.fitting import FitResult
    from curvesieve.core.record import Record


_COMMANDS = ("demo", "read", "fit", "pass", "steps", "terms")


class _Parser(argparse.ArgumentParser):
    """Reports wrong usage as one line, like every other wrong input."""

    def error(self, message: str) -> Any:
        raise InputError(f"{message} (see curvesieve --help)")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="curvesieve", description="Measured curves in, trustworthy numbers out.")
    commands = parser.add_subparsers(dest="command", parser_class=_Parser)
    commands.add_parser("demo", help="open the window with the made-up demo study")

    read = commands.add_parser("read", help="say how a file is understood")
    read.add_argument("file")
    read.add_argument("--json", action="store_true")

    fit = commands.add_parser("fit", help="fit a formula or a library term to a file's curve")
    fit.add_argument("file")
    fit.add_argument("--model", required=True, help="a formula such as 'a*exp(-k*x)', or a term such as lorentzian")
    fit.add_argument("--variable", default="x", help="the name of the independent variable in the formula")
    for axis in ("x", "y", "u"):
        fit.add_argument(f"--{axis}", metavar="CHANNEL", help="a channel's name, or its number from 1")
    fit.add_argument("--start", nargs="+", action="extend", default=[], metavar="NAME=VALUE")
    fit.add_argument("--hold", nargs="+", action="extend", default=[], metavar="NAME")
    fit.add_argument("--bound", nargs="+", action="extend", default=[], metavar="NAME=LOW:HIGH")
    fit.add_argument("--range", metavar="LOW:HIGH", help="use only this stretch of x; either end may be empty")
    fit.add_argument("--loss", default="squared", help="squared, absolute, huber, soft_l1 or cauchy")
    fit.add_argument("--json", action="store_true")
    through = commands.add_parser("pass", help="pass a file's curve through a saved sieve")
    through.add_argument("file")
    through.add_argument("--sieve", required=True, metavar="SIEVE.json")
    for axis in ("x", "y", "u"):
        through.add_argument(f"--{axis}", metavar="CHANNEL", help="a channel's name, or its number from 1")
    through.add_argument("--out", metavar="FILE.csv", help="write x, y, u and flag of what passed")
    through.add_argument("--json", action="store_true")

    for name, what in (("steps", "every step of a sieve with its fields"), ("terms", "every term of the library")):
        commands.add_parser(name, help=f"list {what}").add_argument("--json", action="store_true")
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one command and returns its exit status."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    try:
        if not words or (words[0] not in _COMMANDS and not words[0].startswith("-")):
            if len(words) > 1:
                raise InputError(f"Open one study at a time, not {len(words)} (see curvesieve --help).")
            return _open_window(words[0] if words else None)
        options = _parser().parse_args(words)
        match options.command:
            case "demo":
                return _open_window(None, demo=True)
            case "read":
                return _read(options)
            case "fit":
                return _fit(options)
            case "pass":
                return _pass(options)
            case "steps" | "terms":
                return _list_steps(options.json) if options.command == "steps" else _list_terms(options.json)
        raise InputError("Say what to do (see curvesieve --help).")
    except InputError as error:
        print(f"curvesieve: {error}".replace("\n", " "), file=sys.stderr)
        return 2
    except BrokenPipeError:
        return 0


def _open_window(path: str | None, demo: bool = False) -> int:
    from curvesieve.app.main import run

    return run(path, demo=demo)


def _read(options: argparse.Namespace) -> int:
    from curvesieve.core.formats import tables
    from curvesieve.core.formats.reading import load, main_table

    source = load(options.file)
    tables_found = tables(source)
    table = main_table(tables_found)
    record, found, layout = table.record, table.found, table.found.layout
    said = {
        "format": found.format,
        "encoding": found.encoding,
        "delimiter": layout.delimiter_name,
        "decimal": layout.decimal,
        "skipped_rows": layout.first_row,
        "channels": [
            {
                "name": channel.name,
                "unit": channel.unit,
                "count": len(record),
                "first": _json_number(float(channel.values[0])),
                "last": _json_number(float(channel.values[-1])),
            }
            for channel in record.channels
        ],
        "notes": list(record.notes),
        "tables": [other.record.source.name for other in tables_found],
    }
    if options.json:
        print(json.dumps(said, ensure_ascii=False, indent=1))
        return 0
    print(
        f"{record.source.name}: {found.format}, {said['encoding']}, {said['delimiter']}, decimal {said['decimal']!r}, ",
        end="",
    )
    print(f"{said['skipped_rows']} rows before the data, {len(record)} rows of data")
    for channel in record.channels:
        unit = channel.unit or "no unit"
        print(f"  {channel.name} ({unit}): {channel.values[0]:.10g} … {channel.values[-1]:.10g}")
    for note in record.notes:
        print(f"  note: {note}")
    return 0


def _json_number(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _fit(options: argparse.Namespace) -> int:
    from curvesieve.core import units
    from curvesieve.core.fitting import fit
    from curvesieve.core.formats import read
    from curvesieve.core.models import OwnTerm, is_known, term_of

    record = read(options.file)
    curve = _chosen_curve(record, options)
    result = fit(
        options.model,
        curve.x,
        curve.y,
        curve.u,
        start=dict(_assignment(text, "--start") for text in options.start) or None,
        hold=[name for text in options.hold for name in text.split(",") if name],
        bounds={name: _limits(text, f"--bound {name}") for name, text in map(_split_assignment, options.bound)},
        loss=options.loss,
        variable=options.variable,
    )
    own = None if is_known(options.model) else OwnTerm(formula=options.model, variable=options.variable.split(",")[0])
    term = own.as_term() if own else term_of(options.model)
    unit_of = {name: units.written(term.unit_text(name, curve.x_unit, curve.y_unit)) for name in result.parameters}
    if options.json:
        print(json.dumps(_as_json(result, unit_of), ensure_ascii=False, indent=1))
    else:
        _print_fit(result, unit_of)
    return 0


def _chosen_curve(record: Record, options: argparse.Namespace) -> Any:
    guess_x, guess_y = record.guess_xy()
    x = record.index(options.x) if options.x else guess_x
    others = [i for i in (guess_y, guess_x, *range(len(record.channels))) if i != x]
    y = record.index(options.y) if options.y else others[0]
    curve = record.curve(x + 1, y + 1, None if options.u is None else record.index(options.u) + 1)
    if getattr(options, "range", None) is None:
        return curve
    low, high = _limits(options.range, "--range")
    keep = (curve.x >= low) & (curve.x <= high)
    if not keep.any():
        raise InputError(
            f"--range {options.range}: no point lies there; x runs {curve.x.min():g} to {curve.x.max():g}."
        )
    return curve.take(keep)


class _OtherFiles:
    """The other curves that a step may take from, at the command line: files, beside the one that is passed."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def curve(self, name: str) -> Curve:
        from curvesieve.core.formats import read

        place = next((path for path in (Path(name), self.folder / name) if path.exists()), None)
        if place is None:
            raise InputError(f"there is no file {name} here or beside the curve to take from.")
        record = read(place)
        x, y = record.guess_xy()
        return record.curve(x + 1, y + 1)

    def family(self) -> list[Curve]:
        return []


def _pass(options: argparse.Namespace) -> int:
    from curvesieve.core.formats import read
    from curvesieve.core.formats.writing import of_curve, write
    from curvesieve.core.steps import Sieve
    from curvesieve.core.study.files import write_bytes

    sieve = Sieve.load(options.sieve)
    path = Path(options.file)
    curve = _chosen_curve(read(path), options)
    made = sieve(curve, _OtherFiles(path.parent))
    said = [
        {
            "step": trail.slot.step.slug,
            "points_in": len(trail.before),
            "points_out": len(trail.after),
            "caught": len(trail.caught),
            "message": trail.problem or trail.message,
            "worked": not trail.problem,
        }
        for trail in made.trail
    ]
    for number, trail in enumerate(made.trail, 1):
        if trail.problem:
            print(f"curvesieve: step {number}, {trail.slot.step.slug}, let all pass: {trail.problem}", file=sys.stderr)
    if options.out:
        write_bytes(Path(options.out), write(of_curve(made.curve, path.name), Path(options.out).suffix))
    if options.json:
        print(json.dumps(said, ensure_ascii=False, indent=1))
    else:
        for row in said:
            print(f"{row['step']:<20} {row['points_in']} → {row['points_out']}  {row['message']}")
    return 0


def _list_steps(as_json: bool) -> int:
    from curvesieve.core.steps import registered_steps

    steps = registered_steps()
    if as_json:
        rows = [
            {
                "step": slug, "label": step.label, "intent": step.intent, "summary": step.summary,
                "reference": step.reference, "schema": step.model_json_schema(),
            }
            for slug, step in steps.items()
        ]  # fmt: skip
        print(json.dumps(rows, ensure_ascii=False, indent=1))
        return 0
    for slug, step in steps.items():
        print(f"{slug:<20} {step.intent:<10} {step.summary}")
        for name, info in step.model_fields.items():
            print(f"    {name:<14} {info.default!r:<14} {info.description}")
    return 0


def _list_terms(as_json: bool) -> int:
    from curvesieve.core.models import TERMS

    if as_json:
        rows = [
            {
                "term": term.slug, "label": term.label, "kind": term.kind, "formula": term.formula,
                "parameters": [
                    {"name": p.name, "description": p.description, "lower": _json_number(p.lower),
                     "upper": _json_number(p.upper)} for p in term.parameters
                ],
                "reference": term.reference,
            }
            for term in TERMS.values()
        ]  # fmt: skip
        print(json.dumps(rows, ensure_ascii=False, indent=1))
        return 0
    for term in TERMS.values():
        print(f"{term.slug:<14} {term.kind:<12} {term.formula}")
    return 0


def _split_assignment(text: str) -> tuple[str, str]:
    name, equals, value = text.partition("=")
    if not equals or not name or not value:
        raise InputError(f"{text!r} must be of the form NAME=VALUE.")
    return name.strip(), value.strip()


def _assignment(text: str, option: str) -> tuple[str, float]:
    name, value = _split_assignment(text)
    try:
        return name, float(value)
    except ValueError:
        raise InputError(f"{option} {name}: {value!r} is not a number.") from None


def _limits(text: str, option: str) -> tuple[float, float]:
    low, colon, high = text.partition(":")
    try:
        if not colon:
            raise ValueError
        return float(low or "-inf"), float(high or "inf")
    except ValueError:
        raise InputError(f"{option}: {text!r} must be of the form LOW:HIGH.") from None


def _as_json(result: FitResult, unit_of: dict[str, str]) -> dict[str, Any]:
    return {
        "model": result.formula,
        "parameters": {
            name: {"value": p.value, "u": p.u, "unit": unit_of.get(name, ""), "held": p.held}
            for name, p in result.parameters.items()
        },
        "statistics": result.statistics.model_dump(),
        "converged": result.converged,
        "message": result.message,
        "iterations": result.iterations,
        "warnings": list(result.warnings),
    }


def _print_fit(result: FitResult, unit_of: dict[str, str]) -> None:
    print(f"{result.formula}\n{result.message}")
    for warning in result.warnings:
        print(f"warning: {warning}")
    for name, p in result.parameters.items():
        u = "held" if p.held else "u unknown" if p.u is None else f"u {p.u:.4g}"
        print(f"  {name:<12} {p.value:.10g}  ({u})  {unit_of.get(name, '')}".rstrip())
    s = result.statistics
    print(f"  n {s.n}, degrees of freedom {s.dof}, RSS {s.rss:.6g}, RMSE {s.rmse:.6g}, R² {s.r2 or math.nan:.6g}")
