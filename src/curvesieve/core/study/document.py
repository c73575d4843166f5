"""What study.json holds: a frozen tree of records, curves and families; numbers and bytes stand beside it by hash."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from curvesieve.core.fields.slices import SliceSpec
from curvesieve.core.fitting import FitResult
from curvesieve.core.intake.take import Take
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import Basis, Reading, ReadingKey
from curvesieve.core.recipe import Part, Recipe
from curvesieve.core.study.family_parts import FamilyLook, JointEntry, Shared, TrendEntry, Way
from curvesieve.core.study.field_parts import FieldEntry, OfChannels, OfTable
from curvesieve.core.study.figure_parts import FigureSpec
from curvesieve.core.tracing.parts import Prepared, TraceSpec

SCHEMA_VERSION = 9
"""What each version brought is told in `migrations`."""
_HASH = r"^[0-9a-f]{64}$"


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)


class ChannelEntry(_Frozen):
    """A record's column; `array` is the key of its values."""

    name: str
    unit: str
    array: str


class RecordEntry(_Frozen):
    """An imported table; `source` is the SHA-256 of its file's bytes, which the study keeps unless they are many."""

    id: str
    file_name: str
    path: str
    source: str
    source_kept: bool = True
    channels: tuple[ChannelEntry, ...]
    metadata: tuple[tuple[str, str], ...] = ()
    notes: tuple[str, ...] = ()


class FromRecord(_Frozen):
    """A curve of the channels of a record."""

    kind: Literal["record"] = "record"
    record: str
    take: Take


class LedgerColumn(_Frozen):
    """A column of a ledger; without a key it is the condition."""

    key: ReadingKey | None = None
    unit: str = ""


class FromLedger(_Frozen):
    """A curve of two columns of a family's ledger, a point a curve of the family, in the order of x."""

    kind: Literal["ledger"] = "ledger"
    family: str
    x: LedgerColumn = LedgerColumn()
    y: LedgerColumn


class FromMean(_Frozen):
    """The mean or median of the curves of a family (with a `group`: of that), as they passed, where all reach."""

    kind: Literal["mean"] = "mean"
    family: str
    by: Literal["mean", "median"] = "mean"
    group: str = ""


class FromChart(_Frozen):
    """A curve of a series that was traced from the picture of a chart; it follows the chart's axes."""

    kind: Literal["chart"] = "chart"
    chart: str
    series: str


class FromField(_Frozen):
    """A curve that is a slice of a field; it follows the field."""

    kind: Literal["field"] = "field"
    field: str
    slice: SliceSpec


CurveSource = Annotated[FromRecord | FromLedger | FromMean | FromChart | FromField, Field(discriminator="kind")]
"""Where a curve comes from."""


class FitEntry(_Frozen):
    """A fit's result and readings with the key of all that they were made from; see `Study.fit_key`.

    `passed` counts the points after the sieve; `basis` is what the fit used. `x_unit` and `y_unit` are those of the
    curve as it passed, in which all of the result is. `joint` is the key of the joint fit that it is a part of.
    """

    key: str = Field(pattern=_HASH)
    joint: str = ""
    result: FitResult
    readings: tuple[Reading, ...] = ()
    basis: Basis = Basis()
    passed: int = 0
    x_unit: str = ""
    y_unit: str = ""

    @property
    def identity(self) -> str:
        """What tells it from other fits of the same curve and model."""
        return f"{self.key}{self.joint}"


class CurveEntry(_Frozen):
    """A curve on the shelf: where it comes from, its own recipe, and which parts its family's recipe gives instead.

    `result` is the key of the last fit; whether that is still one of this curve is asked of the study. `quantities` are
    the curve's own: they go before those of its family. `group` is what the ledger puts it together with others by.
    """

    id: str
    label: str
    source: CurveSource
    condition: float | None = None
    quantities: tuple[Quantity, ...] = ()
    group: str = ""
    recipe: Recipe = Recipe()
    shared: tuple[Part, ...] = ()
    result: str = Field(default="", pattern=r"^([0-9a-f]{64})?$")


class ColumnLook(_Frozen):
    """How a column of the ledger is shown: whether at all (None: as it comes), under what title and in what unit."""

    key: ReadingKey
    shown: bool | None = None
    title: str = ""
    unit: str = ""


class Family(_Frozen):
    """Curves that belong together, in the order of a condition such as loading in wt%.

    Each part of its `recipe` is in force for those of its curves that share that part. `quantities` are those of all
    of them. `grouped_by` is the line of the preamble that files which join read their group from. `columns` are those
    of the ledger that are shown otherwise than they come, in their order before all others. `sharing` is how a joint
    fit shares the model's parameters, `apart` the curves that it leaves out, `joint` what the last one found; `way` is
    how the curves were fitted last, `along_from` the curve that carrying began at.
    """

    id: str
    label: str
    condition: str = ""
    unit: str = ""
    curves: tuple[str, ...] = ()
    quantities: tuple[Quantity, ...] = ()
    grouped_by: str = ""
    columns: tuple[ColumnLook, ...] = ()
    recipe: Recipe = Recipe()
    sharing: tuple[Shared, ...] = ()
    apart: tuple[str, ...] = ()
    joint: JointEntry | None = None
    way: Way = ""
    along_from: str = ""
    trends: tuple[TrendEntry, ...] = ()
    look: FamilyLook = FamilyLook()


class ChartEntry(_Frozen):
    """A picture of a printed chart and what was traced from it; `picture` is the SHA-256 of its bytes, kept beside.

    Pixels of the trace are those of the picture as it is `prepared`.
    """

    id: str
    name: str
    picture: str = Field(pattern=_HASH)
    prepared: Prepared = Prepared()
    trace: TraceSpec = TraceSpec()


@dataclass(frozen=True)
class Holds:
    """What a document needs beside itself: keys of arrays, of the bytes of files and pictures, and of fits."""

    arrays: frozenset[str]
    sources: frozenset[str]
    results: frozenset[str]


class Document(_Frozen):
    """What study.json holds."""

    version: int = SCHEMA_VERSION
    title: str = "Untitled study"
    records: tuple[RecordEntry, ...] = ()
    curves: tuple[CurveEntry, ...] = ()
    families: tuple[Family, ...] = ()
    figures: tuple[FigureSpec, ...] = ()
    charts: tuple[ChartEntry, ...] = ()
    fields: tuple[FieldEntry, ...] = ()

    def used_records(self) -> set[str]:
        """The records that curves and fields are made of; nobody needs the others."""
        curves = {curve.source.record for curve in self.curves if isinstance(curve.source, FromRecord)}
        return curves | {one.source.record for one in self.fields if isinstance(one.source, OfChannels | OfTable)}

    def holds(self) -> Holds:
        """The numbers and bytes that must be kept with the document; all others may go."""
        arrays = frozenset(channel.array for record in self.records for channel in record.channels)
        sources = {record.source for record in self.records if record.source_kept}
        pictures = {chart.picture for chart in self.charts}
        return Holds(
            arrays, frozenset(sources | pictures), frozenset(curve.result for curve in self.curves if curve.result)
        )

    @model_validator(mode="after")
    def _whole(self) -> Document:
        records = {record.id: record for record in self.records}
        curves = {curve.id for curve in self.curves}
        if len(records) < len(self.records) or len(curves) < len(self.curves):
            raise ValueError("two records or two curves have the same id")
        for curve in self.curves:
            source = curve.source
            if not isinstance(source, FromRecord):
                continue
            count = len(records[source.record].channels) if source.record in records else 0
            if any(not 0 <= place < count for place in source.take.places):
                raise ValueError(f"curve {curve.label!r} names a record or a channel that is not there")
        if len({chart.id for chart in self.charts}) < len(self.charts):
            raise ValueError("two charts have the same id")
        if len({field.id for field in self.fields}) < len(self.fields):
            raise ValueError("two fields have the same id")
        if {id_ for family in self.families for id_ in family.curves} - curves:
            raise ValueError("a family names a curve that is not there")
        return self
