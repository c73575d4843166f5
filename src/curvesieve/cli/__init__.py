"""The command line: the same core without a window. Exit status 0 done, 2 wrong input, 1 a defect of ours."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from typing import Any

from curvesieve.core.errors import InputError

_COMMANDS = ("demo", "read", "fit", "pass", "measure", "tension", "run", "steps", "measures", "terms")


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
    fit.add_argument(
        "--variable", default="", help="the independent variable (else understood); several with commas, as many --x"
    )
    for axis in ("x", "y", "u"):
        fit.add_argument(f"--{axis}", metavar="CHANNEL", help="a channel's name, or its number from 1")
    fit.add_argument("--start", nargs="+", action="extend", default=[], metavar="NAME=VALUE")
    fit.add_argument("--hold", nargs="+", action="extend", default=[], metavar="NAME")
    fit.add_argument("--bound", nargs="+", action="extend", default=[], metavar="NAME=LOW:HIGH")
    fit.add_argument("--tie", nargs="+", action="extend", default=[], metavar="NAME=FORMULA")
    fit.add_argument("--weights", default="u", help="u (of the points), none, counts (√y) or proportional")
    fit.add_argument("--as-is", action="store_true", help="take u as it is, not scaled by the scatter found")
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

    measure = commands.add_parser("measure", help="read quantities off files' curves, by a recipe or one measure")
    measure.add_argument("files", nargs="+", metavar="FILE")
    measure.add_argument("--recipe", metavar="R.json", help="a saved recipe: its steps, its model, its measures")
    measure.add_argument("--measure", metavar="SLUG", help="one measure, as `curvesieve measures` lists them")
    measure.add_argument("--set", nargs="+", action="extend", default=[], metavar="FIELD=VALUE")
    measure.add_argument(
        "--quantity", nargs="+", action="extend", default=[], metavar="NAME=VALUE",
        help="a quantity that formulas name, such as width=12.7mm (else those of the file's preamble)",
    )  # fmt: skip
    for axis in ("x", "y", "u"):
        measure.add_argument(f"--{axis}", metavar="CHANNEL", help="a channel's name, or its number from 1")
    measure.add_argument("--json", action="store_true")

    tension = commands.add_parser("tension", help="modulus, yield, strength, elongation and energy of tension tests")
    tension.add_argument("files", nargs="+", metavar="FILE")
    for size in ("width", "thickness", "diameter", "inner-diameter", "area", "gauge", "span", "load-span"):
        tension.add_argument(f"--{size}", metavar="VALUE", help="as 12.70(2)mm; else that of the file's preamble")
    tension.add_argument(
        "--test", default="tension", metavar="KIND",
        help="compression, bending-3, bending-4, relaxation, creep, cycles or indentation in place of tension",
    )  # fmt: skip
    tension.add_argument("--json", action="store_true")

    run = commands.add_parser("run", help="compute a study afresh and write its ledger; the study stays as it is")
    run.add_argument("study", metavar="STUDY.sieve")
    run.add_argument("--recipe", metavar="R.json", help="a saved recipe, in place of what the study does to its curves")
    run.add_argument(
        "--files", nargs="+", default=[], metavar="FILE", help="files that join a family, done as its last"
    )
    run.add_argument("--family", metavar="NAME", help="the family that the files join, or that the ledger is of")
    run.add_argument("--out", metavar="FILE", help="ledger.csv, .xlsx, .json, .tex or .txt (else a table is printed)")

    for name, what in (
        ("steps", "every step of a sieve with its fields"),
        ("measures", "every measure that reads a curve, with its fields"),
        ("terms", "every term of the library"),
    ):
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
                from curvesieve.cli.listing import read

                return read(options)
            case "fit":
                from curvesieve.cli.fitting import fit_file

                return fit_file(options)
            case "pass":
                from curvesieve.cli.passing import pass_file

                return pass_file(options)
            case "measure" | "tension":
                from curvesieve.cli import measuring

                return (measuring.measure_files if options.command == "measure" else measuring.tension_files)(options)
            case "run":
                from curvesieve.cli.running import run_study

                return run_study(options)
            case "steps" | "measures" | "terms":
                from curvesieve.cli import listing

                lists = {"steps": listing.list_steps, "measures": listing.list_measures, "terms": listing.list_terms}
                return lists[options.command](options.json)
        raise InputError("Say what to do (see curvesieve --help).")
    except InputError as error:
        print(f"curvesieve: {error}".replace("\n", " "), file=sys.stderr)
        return 2
    except BrokenPipeError:
        return 0


def _open_window(path: str | None, demo: bool = False) -> int:
    from curvesieve.app.shell.main import run

    return run(path, demo=demo)
