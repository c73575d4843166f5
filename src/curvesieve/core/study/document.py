"""The study as a value: a frozen tree, with arrays and source bytes held beside it by content hash."""

from __future__ import annotations

import hashlib
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache

from pydantic import BaseModel, ConfigDict, model_validator

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.fitting import FitResult
from curvesieve.core.intake.take import Take, taken_curve
from curvesieve.core.models import Model
from curvesieve.core.readings import FitReading
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps import Sieve, Step, StepSlot
from curvesieve.core.study.keys import ByParts

SCHEMA_VERSION = 4
"""What each version brought is told in `migrations`."""


_REFERENCE = re.compile(r"^(.*) \[([^\[\]]+)\]$")
_MAX_DIGESTS = 100_000
_digests: dict[tuple[Take, tuple[ChannelEntry, ...]], str] = {}
_fit_keys: ByParts[str] = ByParts()
_takers: ByParts[list[Step]] = ByParts()


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


class FitEntry(_Frozen):
    """A fit's result and readings with the key of all that they were made from; see `Study.fit_key`.

    `recorded`, `passed` and `used` count points: in the record, after the sieve, in the fit. `x_unit` and `y_unit` are
    those of the curve as it passed, in which all of the result is.
    """

    key: str
    result: FitResult
    readings: tuple[FitReading, ...] = ()
    recorded: int = 0
    passed: int = 0
    used: int = 0
    x_unit: str = ""
    y_unit: str = ""


class CurveEntry(_Frozen):
    """A curve on the shelf: which channels, its sieve, its model and its fit. Channels count from 0.

    `x_unit` and `y_unit` are what its numbers are converted to (empty: as recorded); `where` chooses rows, see `Take`.
    """

    id: str
    label: str
    record: str
    x: int
    y: int
    u: int | None = None
    x_unit: str = ""
    y_unit: str = ""
    where: tuple[int, float] | None = None
    condition: float | None = None
    slots: tuple[StepSlot, ...] = ()
    own_sieve: bool = True
    model: Model = Model()
    fit: FitEntry | None = None

    @property
    def take(self) -> Take:
        return Take(self.x, self.y, self.u, self.x_unit, self.y_unit, self.where)


class Family(_Frozen):
    """Curves that belong together, in the order of a condition such as loading in wt%.

    `slots` is the shared sieve, in force for those of its curves that have none of their own.
    """

    id: str
    label: str
    condition: str = ""
    unit: str = ""
    curves: tuple[str, ...] = ()
    slots: tuple[StepSlot, ...] = ()


class Document(_Frozen):
    """What study.json holds."""

    version: int = SCHEMA_VERSION
    title: str = "Untitled study"
    records: tuple[RecordEntry, ...] = ()
    curves: tuple[CurveEntry, ...] = ()
    families: tuple[Family, ...] = ()

    @model_validator(mode="after")
    def _whole(self) -> Document:
        records = {record.id: record for record in self.records}
        curves = {curve.id for curve in self.curves}
        if len(records) < len(self.records) or len(curves) < len(self.curves):
            raise ValueError("two records or two curves have the same id")
        for curve in self.curves:
            count = len(records[curve.record].channels) if curve.record in records else 0
            places = [curve.x, curve.y, *(() if curve.u is None else (curve.u,))]
            places += [] if curve.where is None else [curve.where[0]]
            if any(not 0 <= place < count for place in places):
                raise ValueError(f"curve {curve.label!r} names a record or a channel that is not there")
        if {id_ for family in self.families for id_ in family.curves} - curves:
            raise ValueError("a family names a curve that is not there")
        return self


@dataclass(frozen=True)
class Named:
    """A curve by a name that is its own in the study, with its family's and its file's.

    `reference` is what a step keeps of it: the label, with the id behind it where others have that label, too. Names
    change when curves come, go and move; a reference means the same curve as long as that is there.
    """

    id: str
    name: str
    reference: str
    family: str
    about: str


@dataclass(frozen=True, eq=False)
class Study:
    """The user's whole document. Edits make a new one and share what they do not change."""

    document: Document = field(default_factory=Document)
    arrays: Mapping[str, Floats] = field(default_factory=dict)
    sources: Mapping[str, bytes] = field(default_factory=dict)

    def with_document(self, **changes: object) -> Study:
        return replace(self, document=self.document.model_copy(update=changes))

    @cached_property
    def _entries(self) -> dict[str, CurveEntry]:
        return {curve.id: curve for curve in self.document.curves}

    @cached_property
    def _families(self) -> dict[str, Family]:
        return {id_: family for family in reversed(self.document.families) for id_ in family.curves}

    @cached_property
    def _records(self) -> dict[str, RecordEntry]:
        return {record.id: record for record in self.document.records}

    @cached_property
    def _labels(self) -> dict[str, str]:
        return {curve.label: curve.id for curve in reversed(self.document.curves)}

    @cached_property
    def names(self) -> dict[str, Named]:
        """Every curve by a name of its own: its label, with the family's where two are alike, then with a number."""
        alike = Counter(curve.label for curve in self.document.curves)
        made: dict[str, Named] = {}
        for curve in self.document.curves:
            family = self.family_of(curve.id)
            title = family.label if family is not None else "single curves"
            name = whole = curve.label if alike[curve.label] == 1 else f"{curve.label} · {title}"
            count = 1
            while name in made:
                count += 1
                name = f"{whole} #{count}"
            reference = curve.label if alike[curve.label] == 1 else f"{curve.label} [{curve.id}]"
            made[name] = Named(curve.id, name, reference, title, self.record_entry(curve.record).file_name)
        return made

    def entry(self, curve_id: str) -> CurveEntry:
        return self._entries[curve_id]

    def has(self, curve_id: str | None) -> bool:
        return curve_id in self._entries

    def family_of(self, curve_id: str) -> Family | None:
        return self._families.get(curve_id)

    def record_entry(self, record_id: str) -> RecordEntry:
        return self._records[record_id]

    def record(self, record_id: str) -> Record:
        """The record with its numbers, as it was read."""
        entry = self.record_entry(record_id)
        channels = tuple(Channel(c.name, c.unit, self.arrays[c.array]) for c in entry.channels)
        source = Source(entry.file_name, self.sources.get(entry.source, b""), entry.path)
        return Record(source, channels, entry.metadata, entry.notes)

    def recorded(self, curve_id: str) -> Curve:
        """The curve before its sieve."""
        entry = self.entry(curve_id)
        channels = self.record_entry(entry.record).channels
        return _curve_of(_ChannelArrays(channels, tuple(self.arrays[c.array] for c in channels)), entry.take)

    def slots(self, curve_id: str) -> tuple[StepSlot, ...]:
        """The steps in force for a curve: its own, or those that its family shares."""
        entry = self.entry(curve_id)
        family = None if entry.own_sieve else self.family_of(curve_id)
        return entry.slots if family is None else family.slots

    def sieve(self, curve_id: str) -> Sieve:
        return Sieve(self.slots(curve_id))

    def shares_sieve(self, curve_id: str) -> bool:
        """Whether the curve's sieve is that of its family."""
        return not self.entry(curve_id).own_sieve and self.family_of(curve_id) is not None

    def fit_key(self, curve_id: str) -> str:
        """A hash of all that a fit depends on: the record's numbers, the steps, the model with its starts.

        And of the curves that its steps take from: their numbers and the steps that those pass through.
        """
        entry, slots = self._entries[curve_id], self.slots(curve_id)
        record, others = self._records[entry.record], self._taken(curve_id, slots)

        def key() -> str:
            parts = [self.digest(curve_id), Sieve(slots).key(), entry.model.model_dump_json()]
            for id_ in others:
                parts += [self.digest(id_), self.giving(id_).key()]
            return hashlib.sha256("\n".join(parts).encode()).hexdigest()

        theirs = [part for id_ in others for part in (self.entry(id_), self.slots(id_))] if others else ()
        return _fit_keys.get((entry, record, slots, *theirs), key)

    def digest(self, curve_id: str) -> str:
        """The digest of the curve before its sieve (see `Curve.digest`); the numbers are hashed once."""
        entry = self.entry(curve_id)
        channels, take = self.record_entry(entry.record).channels, entry.take
        places = (take.x, take.y, take.u, take.where[0] if take.where else None)
        key = (take, tuple(channels[i] for i in places if i is not None))
        if key not in _digests:
            if len(_digests) > _MAX_DIGESTS:
                _digests.clear()
            _digests[key] = self.recorded(curve_id).digest
        return _digests[key]

    def taken_from(self, curve_id: str) -> list[str]:
        """The curves that steps of this curve's sieve take from, as far as they are there."""
        return self._taken(curve_id, self.slots(curve_id))

    def _taken(self, curve_id: str, slots: tuple[StepSlot, ...]) -> list[str]:
        taking = _takers.get((slots,), lambda: [slot.rule for slot in slots if slot.on and slot.rule.takes() != ()])
        return list(dict.fromkeys(id_ for step in taking for id_ in self.donors(curve_id, step))) if taking else []

    def donors(self, curve_id: str, step: Step) -> list[str]:
        """The curves that one step of this curve's sieve takes from, as far as they are there."""
        names = step.takes()
        if names is None:
            family = self.family_of(curve_id)
            return [id_ for id_ in (family.curves if family else ()) if id_ != curve_id]
        return [id_ for name in names if (id_ := self.named(name))]

    def named(self, name: str) -> str | None:
        """The id of the curve of an id, a label, or a reference (see `Named`); None when there is none."""
        if name in self._entries:
            return name
        found = _REFERENCE.match(name)
        if found is not None and found[2] in self._entries:
            return found[2]
        return self._labels.get(name) or (self._labels.get(found[1]) if found is not None else None)

    def giving(self, curve_id: str) -> Sieve:
        """What a curve passes before others take from it: its steps without those that take from others themselves.

        So no curve can wait for itself.
        """
        return Sieve(tuple(slot for slot in self.slots(curve_id) if slot.rule.takes() == ()))

    def giving_less(self, curve_ids: Sequence[str]) -> list[str]:
        """The labels of those of the curves that give without some of their own steps; see `giving`."""
        return [
            self.entry(id_).label
            for id_ in curve_ids
            if any(slot.on and slot.rule.takes() != () for slot in self.slots(id_))
        ]

    def fit_is_current(self, curve_id: str) -> bool:
        """Whether the curve has a fit and nothing that it was made from has changed since."""
        fit = self.entry(curve_id).fit
        return fit is not None and fit.key == self.fit_key(curve_id)

    def fit_state(self, curve_id: str) -> str:
        """``not fitted``, ``out of date``, ``did not converge`` or ``fitted``."""
        state = self._states.get(curve_id)
        if state is None:
            state = self._states[curve_id] = self._state(self.entry(curve_id))
        return state

    @cached_property
    def _states(self) -> dict[str, str]:
        return {}

    def _state(self, entry: CurveEntry) -> str:
        if entry.fit is None:
            return "not fitted"
        if entry.fit.key != self.fit_key(entry.id):
            return "out of date"
        return "fitted" if entry.fit.result.converged else "did not converge"

    def readings(self, curve_id: str) -> tuple[FitReading, ...]:
        """The readings of the curve's fit; none when it has none, or one that is out of date."""
        fit = self.entry(curve_id).fit
        return fit.readings if fit is not None and self.fit_is_current(curve_id) else ()


@dataclass(frozen=True, eq=False)
class _ChannelArrays:
    """Channels with their values; equal when the keys are, so that curves are made once."""

    channels: tuple[ChannelEntry, ...]
    arrays: tuple[Floats, ...]

    def __hash__(self) -> int:
        return hash(self.channels)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _ChannelArrays) and self.channels == other.channels


@lru_cache(maxsize=64)
def _curve_of(chosen: _ChannelArrays, take: Take) -> Curve:
    channels = tuple(Channel(c.name, c.unit, a) for c, a in zip(chosen.channels, chosen.arrays, strict=True))
    return taken_curve(channels, take)
