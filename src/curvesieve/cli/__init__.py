"""The command line: the same core without a window. Exit status 0 done, 2 wrong input, 1 a defect of ours."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from importlib import import_module
from typing import Any

from curvesieve.core.errors import InputError

# Before NumPy is loaded. What is solved here is small and often: with threads of its own, linear algebra took three to
# six times as long, waiting for them. All cores are used by processes instead.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

_COMMANDS = (
    "demo",
    "read",
    "fit",
    "pass",
    "measure",
    "tension",
    "radius",
    "peaks",
    "run",
    "grid",
    "trace",
    "figure",
    "report",
    "steps",
    "measures",
    "terms",
)

_FILES = {
    "read": ("listing", "read"), "fit": ("fitting", "fit_file"), "pass": ("passing", "pass_file"),
    "measure": ("measuring", "measure_files"), "tension": ("measuring", "tension_files"),
    "radius": ("radius", "radius_files"),
    "peaks": ("peaks", "peak_files"), "run": ("running", "run_study"),
    "grid": ("gridding", "grid_file"), "trace": ("tracing", "trace_file"),
    "figure": ("figures", "write_figure"), "report": ("figures", "write_report"),
}  # fmt: skip
"""What works on files, each in a module that is loaded when it is asked for."""


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

    _add_measuring(commands)
    _add_peaks(commands)
    _add_radius(commands)

    run = commands.add_parser("run", help="compute a study afresh and write its ledger; the study stays as it is")
    run.add_argument("study", metavar="STUDY.sieve")
    run.add_argument("--recipe", metavar="R.json", help="a saved recipe, in place of what the study does to its curves")
    run.add_argument(
        "--files", nargs="+", default=[], metavar="FILE", help="files that join a family, done as its last"
    )
    run.add_argument("--family", metavar="NAME", help="the family that the files join, or that the ledger is of")
    run.add_argument("--out", metavar="FILE", help="ledger.csv, .xlsx, .json, .tex or .txt (else a table is printed)")

    _add_fields(commands)
    _add_writing(commands)

    for name, what in (
        ("steps", "every step of a sieve with its fields"),
        ("measures", "every measure that reads a curve, with its fields"),
        ("terms", "every term of the library"),
    ):
        commands.add_parser(name, help=f"list {what}").add_argument("--json", action="store_true")
    return parser


def _add_fields(commands: Any) -> None:
    grid = commands.add_parser("grid", help="fill in between scattered points of a file: z over x and y, with u")
    grid.add_argument("file")
    for axis in ("x", "y", "z"):
        grid.add_argument(f"--{axis}", required=True, metavar="CHANNEL", help="a channel's name, or its number from 1")
    grid.add_argument("--u", metavar="CHANNEL", help="the standard uncertainty of z")
    ways = "nearest, linear, cubic, thin-plate, radial, inverse-distance, kriging, law, as-measured or spline"
    grid.add_argument("--way", default="kriging", help=ways)
    grid.add_argument("--set", nargs="+", action="extend", default=[], metavar="FIELD=VALUE", help="of the way")
    grid.add_argument("--shape", default="101x101", metavar="COLUMNSxROWS")
    grid.add_argument("--step", type=float, metavar="STEP", help="of the grid, in place of a shape")
    grid.add_argument("--outside", default="empty", help="what stands outside the points: empty, nearest, value or law")
    grid.add_argument("--value", type=float, default=0.0, help="with --outside value")
    grid.add_argument("--reach", type=float, help="nothing stands further than this from all points")
    grid.add_argument("--scaled", choices=("yes", "no"), help="distances in shares of the extents of x and y")
    grid.add_argument("--out", metavar="FILE", help=".csv (x, y, z, u), .xlsx, .h5, .npz or .json; else CSV is printed")
    grid.add_argument("--matrix", action="store_true", help="CSV in rows and columns instead")
    grid.add_argument("--compare", action="store_true", help="each way's error at left-out points instead")
    grid.add_argument("--json", action="store_true", help="with --compare")


def _add_writing(commands: Any) -> None:
    trace = commands.add_parser("trace", help="read a saved trace of a chart's picture: its numbers, each with u")
    trace.add_argument("file", metavar="TRACE.json", help="axes and series in pixels; its picture stands beside it")
    trace.add_argument("--out", metavar="FILE.csv", help="write the numbers (else they are printed)")

    figure = commands.add_parser("figure", help="write a figure of a study as a file")
    figure.add_argument("study", metavar="STUDY.sieve")
    figure.add_argument("name", metavar="NAME", help="the figure's name, or its number from 1")
    figure.add_argument("--out", required=True, metavar="FILE", help=".png, .tiff, .svg or .pdf")
    figure.add_argument("--dpi", type=int, default=600, help="dots per inch of PNG and TIFF (600)")
    figure.add_argument("--paths", action="store_true", help="letters of an SVG as paths")
    figure.add_argument("--data", metavar="FILE.csv", help="write all that is drawn, and a script that draws it again")
    report = commands.add_parser("report", help="write a report of a study: figures, readings, what was done, methods")
    report.add_argument("study", metavar="STUDY.sieve")
    report.add_argument("--out", required=True, metavar="FILE", help=".html (one file) or .pdf")
    report.add_argument("--family", default="", metavar="NAME", help="of one family only")
    report.add_argument("--curve", default="", metavar="NAME", help="of one curve only")
    report.add_argument("--template", metavar="FILE", help="plain text with {figures}, {readings}, {methods} …")


def _add_measuring(commands: Any) -> None:
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


def _add_peaks(commands: Any) -> None:
    peaks = commands.add_parser(
        "peaks", help="find and fit the peaks of files' curves; sizes where a wavelength is known"
    )
    peaks.add_argument("files", nargs="+", metavar="FILE")
    peaks.add_argument("--profile", default="pseudo-voigt", metavar="NAME", help="a peak of `curvesieve terms`")
    peaks.add_argument(
        "--background", default="", metavar="NAME", help="polynomial-2, spline-6, … (else what suits best)"
    )
    peaks.add_argument("--least", metavar="RATIO", help="least signal to noise of a peak (3)")
    peaks.add_argument("--widest", metavar="X", help="largest width at half maximum, in the unit of x")
    peaks.add_argument("--dips", action="store_true", help="look for minima in place of maxima")
    peaks.add_argument("--wavelength", metavar="VALUE", help="0.15406nm, 17.4keV or a radiation such as 'Cu Ka1'")
    peaks.add_argument("--k", default="0.9", metavar="K", help="shape constant of Scherrer's equation (0.9)")
    peaks.add_argument("--range", metavar="LOW:HIGH", help="use only this stretch of x; either end may be empty")
    for axis in ("x", "y", "u"):
        peaks.add_argument(f"--{axis}", metavar="CHANNEL", help="a channel's name, or its number from 1")
    peaks.add_argument("--json", action="store_true")


def _add_radius(commands: Any) -> None:
    radius = commands.add_parser("radius", help="Guinier's radius and I(0) of files' scattering, and a law fitted")
    radius.add_argument("files", nargs="+", metavar="FILE")
    radius.add_argument("--form", default="particle", help="particle, rod or sheet")
    radius.add_argument("--most", type=float, default=1.3, help="largest q·Rg that the law is used to (1.3)")
    radius.add_argument("--model", metavar="NAME", help="a law to fit, such as sphere~schulz or cylinder")
    radius.add_argument("--blank", metavar="FILE", help="a background curve that is taken off first")
    radius.add_argument("--factor", type=float, default=1.0, help="the blank is multiplied by it (1)")
    radius.add_argument("--match", metavar="LOW:HIGH", help="or scaled so that both are alike over this stretch of q")
    radius.add_argument("--range", metavar="LOW:HIGH", help="use only this stretch of q; either end may be empty")
    for axis in ("x", "y", "u"):
        radius.add_argument(f"--{axis}", metavar="CHANNEL", help="a channel's name, or its number from 1")
    radius.add_argument("--json", action="store_true")


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
            case name if name in _FILES:
                module, function = _FILES[name]
                return int(getattr(import_module(f"curvesieve.cli.{module}"), function)(options))
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
