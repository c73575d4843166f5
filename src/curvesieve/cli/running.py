"""`run`: a study computed afresh, its ledger written."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from curvesieve.core.errors import InputError, counted, nearest
from curvesieve.core.study.afresh import Afresh
from curvesieve.core.study.document import Family
from curvesieve.core.study.study import Study


def run_study(options: argparse.Namespace) -> int:
    """Prints or writes the ledger. A curve or a file that fails is told in one line, and makes the status 2."""
    from curvesieve.core.recipe import Recipe
    from curvesieve.core.study import load_study
    from curvesieve.core.study.afresh import computed_afresh, with_recipe
    from curvesieve.core.study.ledger_tables import SUFFIXES

    out = Path(options.out) if options.out else None
    if out is not None and out.suffix.lower() not in SUFFIXES:
        raise InputError(f"A ledger is written as {', '.join(SUFFIXES)}, not as {out.name}.")
    recipe = Recipe.load(options.recipe) if options.recipe else None
    study = load_study(options.study)
    family = _family(study, options.family) if options.family else None
    failed: list[str] = []
    if options.files:
        study, family = _with_files(study, [Path(name) for name in options.files], family, failed)
    chosen = [c.id for c in study.document.curves if options.family is None or family is None or c.id in family.curves]
    if recipe is not None:
        given = with_recipe(study, chosen, recipe)
        study = given.study
        failed += [f"{study.entry(id_).label}: {said}" for id_, said in given.problems.items()]
    made = computed_afresh(study, _told)
    told = [(id_, said) for id_, sentences in made.notes().items() if id_ in chosen for said in sentences]
    failed += [f"{study.entry(id_).label}: {said}" for id_, said in told]
    _write(made, family if options.family else None, out)
    for line in failed:
        print(f"curvesieve: {line}".replace("\n", " "), file=sys.stderr)
    return 2 if failed else 0


def _told(share: float) -> None:
    """Progress on one line, where somebody sees it."""
    if sys.stderr.isatty():
        print(f"\r{share:4.0%}", end="" if share < 1 else "\r", file=sys.stderr, flush=True)


def _family(study: Study, name: str) -> Family:
    labels = [family.label for family in study.document.families]
    if name not in labels:
        raise InputError(f"There is no family {name!r}; there are {', '.join(labels) or 'none'}{nearest(name, labels)}")
    return study.document.families[labels.index(name)]


def _with_files(
    study: Study, paths: list[Path], family: Family | None, failed: list[str]
) -> tuple[Study, Family | None]:
    """The study with the files in the family, or else each in the latest family that it fits."""
    from curvesieve.core.formats.opening import load
    from curvesieve.core.intake.library import PATTERN_FILES
    from curvesieve.core.study.joining import join_family, tables_like

    if not study.document.families:
        raise InputError("The study has no family whose curves say what to do with files.")
    saved = list(PATTERN_FILES.load_all(newest_first=True)[0].values())
    for path in paths:
        said: list[str] = []
        for one in [family] if family is not None else reversed(study.document.families):
            try:
                joined = join_family(study, one.id, tables_like(study, one.id, load(path)), saved)
            except InputError as error:
                said.append(str(error))
                continue
            said += joined.problems
            if joined.curves:
                study, said = joined.study, []
                break
        failed += said[:1]
    return study, None if family is None else _family(study, family.label)


def _write(made: Afresh, family: Family | None, out: Path | None) -> None:
    from curvesieve.core.files import write_bytes
    from curvesieve.core.study.ledger import all_ledgers, ledger_of
    from curvesieve.core.study.ledger_tables import as_table, written

    study = made.study
    ledgers = [ledger_of(study, family, made.read)] if family is not None else all_ledgers(study, made.read)
    if out is None:
        rows = as_table(ledgers)
        widths = [max(len(row[i]) for row in rows) for i in range(len(rows[0]))] if rows else []
        for row in rows:
            print("  ".join(cell.ljust(width) for cell, width in zip(row, widths, strict=True)).rstrip())
        return
    write_bytes(out, written(study, ledgers, out.suffix, made.notes()))
    count = sum(len(ledger.rows) for ledger in ledgers)
    read = sum(bool(row.cells) for ledger in ledgers for row in ledger.rows)
    print(f"{out}: {counted(count, 'curve')}, {read} with readings")
