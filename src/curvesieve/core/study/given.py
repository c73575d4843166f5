"""What a curve's file gives beside its points: means of other columns as quantities, lines that tell groups."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from curvesieve.core.intake.computed import name_in_formula
from curvesieve.core.quantity import Quantity
from curvesieve.core.study.document import FromRecord
from curvesieve.core.study.study import Study


def column_quantities(study: Study, curve_id: str) -> Iterator[Quantity]:
    """The means of the other columns of a curve's file, one by one; u = s/√n (JCGM 100:2008, 4.2.3)."""
    source = study.entry(curve_id).source
    if not isinstance(source, FromRecord):
        return
    for place, channel in enumerate(study.record(source.record).channels):
        values = channel.values[np.isfinite(channel.values)]
        if place in source.take.places or not values.size:
            continue
        u = float(np.std(values, ddof=1)) / math.sqrt(values.size) if values.size > 1 else None
        name = name_in_formula(channel.name)
        yield Quantity(name=name, value=float(np.mean(values)), u=u, unit=channel.unit, origin="column")


def preamble_lines(study: Study, curve_ids: list[str]) -> list[str]:
    """The lines of preambles that tell some of the curves apart: two groups or more, and fewer than curves."""
    said: dict[str, dict[str, str]] = {}
    for id_ in curve_ids:
        record = study.record_of(id_)
        for key, text in record.metadata if record is not None else ():
            said.setdefault(key, {})[id_] = text.strip()
    return [key for key, texts in said.items() if len(set(texts.values())) < max(len(curve_ids), 2)]


def line_of(study: Study, curve_id: str, line: str) -> str:
    """What a line of the preamble says of a curve; empty where there is none."""
    record = study.record_of(curve_id)
    return "" if record is None else said_in(record.metadata, line)


def said_in(metadata: Sequence[tuple[str, str]], line: str) -> str:
    """What a line of a preamble says; empty where there is none."""
    return next((text.strip() for key, text in metadata if line and key == line), "")
