"""Ledgers on their way out: CSV, XLSX, JSON, LaTeX and plain text, with u, units and provenance."""

from __future__ import annotations

import csv
import io
import json
import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.reading import concise
from curvesieve.core.study.ledger import Group, Ledger, Row, joined, provenance
from curvesieve.core.study.shared_numbers import SharedNumber, family_numbers
from curvesieve.core.study.study import Study

Table = list[list[str]]
SUFFIXES = {
    ".csv": "CSV, a row a curve",
    ".xlsx": "Spreadsheet",
    ".json": "JSON",
    ".tex": "LaTeX",
    ".txt": "Plain text",
}


def _table(ledger: Ledger) -> Table:
    """All digits, with u in columns of its own; numbers that are not there are empty."""
    head, grouped = ["curve"], ledger.is_grouped
    if ledger.by == "peak":
        head.append("peak")
    if grouped:
        head.append("group")
    if ledger.condition[0]:
        head.append(_plain(*ledger.condition))
    for column in ledger.columns:
        head.append(_plain(column.title, column.final_unit))
        if column.has_u:
            head.append(_plain(f"u({column.title})", column.final_unit))
    head.append("state")
    table = [head]
    for row in ledger.rows:
        line = [row.curve.label]
        if ledger.by == "peak":
            line.append(str(row.part))
        if grouped:
            line.append(row.curve.group)
        if ledger.condition[0]:
            line.append("" if row.curve.condition is None else repr(row.curve.condition))
        for column in ledger.columns:
            cell = row.cell(column)
            line.append("" if cell is None else repr(cell.value))
            if column.has_u:
                line.append("" if cell is None or cell.u is None else repr(cell.u))
        table.append([*line, row.state])
    return table


def _plain(name: str, unit: str) -> str:
    return f"{name} ({units.written(unit)})" if unit else name


def to_csv(ledger: Ledger) -> str:
    """The ledger by RFC 4180: units and uncertainties in the header, one row a curve, all digits."""
    return as_csv(_table(ledger))


def to_tabs(ledger: Ledger) -> str:
    """The same, separated by tabs, as spreadsheets take it from the clipboard."""
    return "\n".join("\t".join(cell.replace("\t", " ") for cell in row) for row in _table(ledger)) + "\n"


def as_table(ledgers: Sequence[Ledger]) -> Table:
    """One table of several ledgers with the family in front; a single one is as the window writes it."""
    if len(ledgers) == 1:
        return _table(ledgers[0])
    union = joined(ledgers)
    table: Table = []
    grouped = any(ledger.is_grouped for ledger in ledgers)
    for ledger in ledgers:
        head, *rows = _table(replace(ledger, condition=("", ""), columns=union))
        own = ledger.is_grouped  # a column of groups stands in all or in none
        if not table:
            first = [*head[1:2], *head[2:]] if own or not grouped else ["group", *head[1:]]
            table = [["family", "curve", "condition", "unit of the condition", *first]]
        for row, line in zip(ledger.rows, rows, strict=True):
            value = "" if row.curve.condition is None else repr(row.curve.condition)
            rest = line[1:] if own or not grouped else ["", *line[1:]]
            table.append([ledger.title, line[0], value, units.written(ledger.condition[1]), *rest])
    return table


def as_csv(table: Sequence[Sequence[str]]) -> str:
    """A table by RFC 4180."""
    buffer = io.StringIO()
    csv.writer(buffer).writerows(table)
    return buffer.getvalue()


_SPREAD = ("n", "mean", "s", "95 % interval: mean ±")


def groups_table(ledger: Ledger) -> Table:
    """The groups of a ledger: for each column n, mean, s and half of the 95 % interval (Student's t), all digits."""
    table = [["group", "reading", *_SPREAD, "unit"]]
    for group in ledger.groups():
        for column, found in zip(ledger.columns, group.columns, strict=True):
            if found is not None:
                numbers = ["" if math.isnan(v) else repr(v) for v in (found.mean, found.s, found.half)]
                title, unit = column.title, units.written(column.final_unit)
                table.append([group.name or "all", title, str(found.n), *numbers, unit])
    return table


def readings_table(study: Study, ledgers: Sequence[Ledger]) -> Table:
    """A row a reading, hidden ones too, with where it comes from."""
    head = ["family", "curve", "group", "condition", "reading", "symbol", "part", "value", "u", "unit", "method",
            "reference", "points", "recorded", "steps", "file", "sha256"]  # fmt: skip
    table = [head]
    for ledger in ledgers:
        for row in ledger.rows:
            record = study.record_of(row.curve.id)
            where = [study.sieve(row.curve.id).written(), study.origin(row.curve.id), record.source if record else ""]
            condition = "" if row.curve.condition is None else repr(row.curve.condition)
            about = [ledger.title, row.curve.label, row.curve.group, condition]
            table += [
                [*about, r.name, r.symbol, str(r.part or row.part), repr(r.value), "" if r.u is None else repr(r.u),
                 units.written(r.unit), r.how, r.reference, str(r.basis.used), str(r.basis.recorded), *where]
                for r in row.cells.values()
            ]  # fmt: skip
        table += [
            [ledger.title, "all curves", "", "", one.title, one.name or one.parameter, "0", repr(one.value),
             "" if one.u is None else repr(one.u), units.written(one.unit), one.how, *[""] * 6]
            for one in _of_family(study, ledger)
        ]  # fmt: skip
    return table


def _of_family(study: Study, ledger: Ledger) -> list[SharedNumber]:
    """What is known of the ledger's family as one."""
    if not ledger.family or ledger.family not in {family.id for family in study.document.families}:
        return []
    return family_numbers(study, study.family(ledger.family))


# -- written with the digits that u allows ------------------------------------------------------------


def _cells(row: Row, ledger: Ledger) -> list[str]:
    found = [row.cell(column) for column in ledger.columns]
    return ["–" if cell is None else concise(cell.value, cell.u) for cell in found]


def _spread_lines(ledger: Ledger, group: Group) -> Table:
    """Mean with the s of its rows, and the half of its 95 % interval, as lines under a ledger."""
    name = group.name or "all"
    means = ["–" if one is None else concise(one.mean, one.s) for one in group.columns]
    halves = ["–" if one is None or math.isnan(one.half) else f"±{one.half:.2g}" for one in group.columns]
    counts = ["0" if one is None else str(one.n) for one in group.columns]
    return [[f"{name}: mean(s)", *means], [f"{name}: 95 %", *halves], [f"{name}: n", *counts]]


def short_table(ledger: Ledger, with_groups: bool = True) -> Table:
    """The ledger as it is read: numbers with their u in brackets, then the groups where there are any."""
    first = units.labelled(*ledger.condition) if ledger.condition[0] else "curve"
    head = [first, *(["peak"] if ledger.by == "peak" else []), *(column.heading for column in ledger.columns)]
    table = [head]
    for row in ledger.rows:
        part = [str(row.part)] if ledger.by == "peak" else []
        group = f" · {row.curve.group}" if row.curve.group else ""
        table.append([f"{row.curve.label}{group}", *part, *_cells(row, ledger)])
    if with_groups and ledger.is_grouped and ledger.by == "curve":
        for one in ledger.groups():
            table += _spread_lines(ledger, one)
    return table


def methods(study: Study, ledger: Ledger) -> list[str]:
    """How each column was read, one line a column; of the first curve that has it."""
    found = []
    for column in ledger.columns:
        row = next((row for row in ledger.rows if row.cell(column) is not None), None)
        cell = row.cell(column) if row is not None else None
        if row is not None and cell is not None:
            reference = f" ({cell.reference})" if cell.reference else ""
            found.append(f"{column.title}: {provenance(study, row.curve, cell).partition(': ')[2]}{reference}")
    return found


def to_text(study: Study, ledger: Ledger) -> str:
    """The ledger as aligned plain text with how each column was read."""
    table = short_table(ledger)
    widths = [max(len(row[i]) for row in table) for i in range(len(table[0]))]
    lines = [
        "  ".join([row[0].ljust(widths[0]), *(c.rjust(w) for c, w in zip(row[1:], widths[1:], strict=True))]).rstrip()
        for row in table
    ]
    lines += [
        f"{one.title}: {concise(one.value, one.u)} {units.shown(one.unit)}".rstrip() + f"  ({one.how})"
        for one in _of_family(study, ledger)
    ]
    digits = "Digits in brackets are the standard uncertainty (of groups: s) in the last places."
    return "\n".join([ledger.title, "", *lines, "", digits, *methods(study, ledger)]) + "\n"


_SUPERSCRIPTS = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")
_LATEX = {
    "\\": r"\textbackslash{}", "&": r"\&", "%": r"\%", "#": r"\#", "_": r"\_", "$": r"\$", "{": r"\{", "}": r"\}",
    "^": r"\^{}", "~": r"\~{}", "–": "--", "·": r"$\cdot$", "°": r"$^\circ$", "±": r"$\pm$", "Δ": r"$\Delta$",
    "σ": r"$\sigma$", "µ": r"$\mu$", "μ": r"$\mu$",
}  # fmt: skip


def latex_text(text: str) -> str:
    """A text for LaTeX: its signs escaped, raised digits raised."""
    parts = re.split("([⁻⁰¹²³⁴⁵⁶⁷⁸⁹]+)", text)
    plain = ["".join(_LATEX.get(letter, letter) for letter in part) for part in parts]
    raised = [f"$^{{{part.translate(_SUPERSCRIPTS)}}}$" for part in parts]
    return "".join(raised[k] if k % 2 else plain[k] for k in range(len(parts)))


def to_latex(study: Study, ledger: Ledger) -> str:
    """The ledger as a LaTeX table, with how each column was read as comments above it."""
    head, *rows = short_table(ledger)
    lines = [f"% {line}" for line in methods(study, ledger)]
    lines += [
        f"% {one.title}: {concise(one.value, one.u)} {units.written(one.unit)} ({one.how})"
        for one in _of_family(study, ledger)
    ]
    lines += [rf"\begin{{tabular}}{{l{'r' * (len(head) - 1)}}}", r"\hline"]
    lines.append(" & ".join(latex_text(cell) for cell in head) + r" \\ \hline")
    lines += [" & ".join(latex_text(cell) for cell in row) + r" \\" for row in rows]
    return "\n".join([*lines, r"\hline", r"\end{tabular}"]) + "\n"


def _shared_table(numbers: Sequence[SharedNumber]) -> Table:
    rows = [
        [one.title, repr(one.value), "" if one.u is None else repr(one.u), units.written(one.unit), one.how]
        for one in numbers
    ]
    return [["number", "value", "u", "unit", "how"], *rows]


def as_json(study: Study, ledgers: Sequence[Ledger], notes: Mapping[str, Sequence[str]] | None = None) -> str:
    """An entry a curve with all its readings; `notes` are sentences on what failed, by curve."""
    found = []
    for ledger in ledgers:
        shared = [_shared_entry(one) for one in _of_family(study, ledger)]
        for row in ledger.rows:
            entry = _entry(study, ledger, row, (notes or {}).get(row.curve.id, ()))
            found.append(entry | {"family_numbers": shared} if shared else entry)
    return json.dumps(found, ensure_ascii=False, indent=1) + "\n"


def _entry(study: Study, ledger: Ledger, row: Row, notes: Sequence[str]) -> dict[str, Any]:
    curve = row.curve
    family = study.family_of(curve.id)
    return {
        "family": ledger.title,
        "curve": curve.label,
        "file": study.origin(curve.id),
        "group": curve.group,
        "condition": curve.condition,
        "condition_unit": family.unit if family is not None else "",
        "state": row.state,
        "readings": [reading_entry(reading) for reading in row.cells.values()],
        "notes": list(notes),
    }


def _shared_entry(one: SharedNumber) -> dict[str, Any]:
    return {
        "name": one.title, "value": one.value, "u": one.u, "unit": units.written(one.unit), "law": one.law,
        "method": one.how,
    }  # fmt: skip


def reading_entry(r: Any) -> dict[str, Any]:
    """One reading as JSON has it."""
    return {
        "name": r.name, "symbol": r.symbol, "part": r.part, "value": r.value, "u": r.u, "unit": units.written(r.unit),
        "method": r.how, "reference": r.reference,
    }  # fmt: skip


def written(
    study: Study,
    ledgers: Sequence[Ledger],
    suffix: str,
    notes: Mapping[str, Sequence[str]] | None = None,
    by_reading: bool = False,
) -> bytes:
    """Ledgers as the content of a file of one of `SUFFIXES`; a CSV `by_reading` has a row each with its provenance.

    Raises InputError for another suffix.
    """
    match suffix.lower():
        case ".csv":
            return as_csv(readings_table(study, ledgers) if by_reading else as_table(ledgers)).encode()
        case ".json":
            return as_json(study, ledgers, notes).encode()
        case ".tex":
            return "\n".join(to_latex(study, ledger) for ledger in ledgers).encode()
        case ".txt":
            return "\n".join(to_text(study, ledger) for ledger in ledgers).encode()
        case ".xlsx":
            from curvesieve.core.formats.writing import book_of_tables

            pages = {ledger.title: as_table([ledger]) for ledger in ledgers}
            for ledger in ledgers:
                if numbers := _of_family(study, ledger):
                    pages[f"{ledger.title[:16]} as one"] = _shared_table(numbers)
                if ledger.is_grouped:
                    pages[f"{ledger.title[:16]} groups"] = groups_table(ledger)
            return book_of_tables(pages | {"provenance": readings_table(study, ledgers)})
    raise InputError(f"A ledger is written as {', '.join(SUFFIXES)}, not as {suffix or 'a file without a suffix'}.")
