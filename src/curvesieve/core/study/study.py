"""The study as a value: the document, with arrays, source bytes and results held beside it by their keys."""

from __future__ import annotations

import hashlib
import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.intake.computed import quantities_in
from curvesieve.core.intake.take import Take
from curvesieve.core.measures.base import MeasureSlot
from curvesieve.core.models import Model
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import Reading
from curvesieve.core.recipe import Part, Recipe
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps import Sieve, Step, StepSlot
from curvesieve.core.study.channels import ChannelArrays, curve_of
from curvesieve.core.study.document import (
    ChannelEntry,
    ChartEntry,
    CurveEntry,
    Document,
    Family,
    FitEntry,
    FromChart,
    FromField,
    FromMean,
    FromRecord,
    RecordEntry,
)
from curvesieve.core.study.field_keys import WithFields
from curvesieve.core.study.field_parts import FieldEntry
from curvesieve.core.study.keys import ByParts
from curvesieve.core.tracing.parts import AxisSpec, SeriesSpec

_REFERENCE = re.compile(r"^(.*) \[([^\[\]]+)\]$")
_MAX_DIGESTS = 100_000
_digests: dict[tuple[Take, tuple[ChannelEntry, ...]], str] = {}
_keys: ByParts[str] = ByParts()
_takers: ByParts[list[Step]] = ByParts()


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
class Study(WithFields):
    """The user's whole document. Edits make a new one and share what they do not change."""

    document: Document = field(default_factory=Document)
    arrays: Mapping[str, Floats] = field(default_factory=dict)
    sources: Mapping[str, bytes] = field(default_factory=dict)
    results: Mapping[str, FitEntry] = field(default_factory=dict)
    """Fits by their keys, those of other starts and steps among them: what is set back has its fit again."""

    def with_document(self, **changes: object) -> Study:
        """The same study with other parts of its document."""
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
            made[name] = Named(curve.id, name, reference, title, self.origin(curve.id))
        return made

    def entry(self, curve_id: str) -> CurveEntry:
        """The entry of a curve by its id; KeyError for one that is not there."""
        return self._entries[curve_id]

    def has(self, curve_id: str | None) -> bool:
        """Whether there is a curve of that id."""
        return curve_id in self._entries

    def family_of(self, curve_id: str) -> Family | None:
        """The family that a curve is in; None for a single one."""
        return self._families.get(curve_id)

    def record_entry(self, record_id: str) -> RecordEntry:
        """The entry of a record by its id; KeyError for one that is not there."""
        return self._records[record_id]

    def record(self, record_id: str) -> Record:
        """The record with its numbers, as it was read."""
        entry = self.record_entry(record_id)
        channels = tuple(Channel(c.name, c.unit, self.arrays[c.array]) for c in entry.channels)
        source = Source(entry.file_name, self.sources.get(entry.source, b""), entry.path)
        return Record(source, channels, entry.metadata, entry.notes)

    def origin(self, curve_id: str) -> str:
        """Where a curve comes from, in a word or two: the name of its file, or of the family that it is made of."""
        source = self.entry(curve_id).source
        if isinstance(source, FromRecord):
            return self.record_entry(source.record).file_name
        if isinstance(source, FromChart):
            chart = self.chart(source.chart)
            return chart.name if chart is not None else "a chart that is gone"
        if isinstance(source, FromField):
            field = self.field(source.field)
            return f"slice of {field.name}" if field is not None else "a field that is gone"
        family = next((f.label for f in self.document.families if f.id == source.family), "a family that is gone")
        return f"{source.by} of {family}" if isinstance(source, FromMean) else f"ledger of {family}"

    def chart(self, chart_id: str) -> ChartEntry | None:
        """The chart of that id; None where it is gone."""
        return next((chart for chart in self.document.charts if chart.id == chart_id), None)

    def chart_of(self, curve_id: str) -> ChartEntry | None:
        """The chart that a curve is traced from; None where it comes from elsewhere, or its chart is gone."""
        source = self.entry(curve_id).source
        return self.chart(source.chart) if isinstance(source, FromChart) else None

    def field_of(self, curve_id: str) -> FieldEntry | None:
        """The field that a curve is a slice of; None where it comes from elsewhere, or its field is gone."""
        source = self.entry(curve_id).source
        return self.field(source.field) if isinstance(source, FromField) else None

    def series(self, source: FromChart) -> tuple[AxisSpec, AxisSpec, SeriesSpec] | None:
        """The axes and the series that a curve is traced by; None where its chart or series is gone."""
        chart = self.chart(source.chart)
        found = [one for one in chart.trace.series if one.id == source.series] if chart is not None else []
        return (chart.trace.x, chart.trace.y, found[0]) if chart is not None and found else None

    def record_of(self, curve_id: str) -> RecordEntry | None:
        """The record that a curve is taken from; None where it comes from elsewhere."""
        source = self.entry(curve_id).source
        return self.record_entry(source.record) if isinstance(source, FromRecord) else None

    def from_record(self, curve_id: str) -> Curve:
        """The curve before its sieve, where it comes from a record; see `passing.recorded` for any."""
        source = self.entry(curve_id).source
        assert isinstance(source, FromRecord), "asked of a curve that comes from elsewhere"
        channels = self.record_entry(source.record).channels
        return curve_of(ChannelArrays(channels, tuple(self.arrays[c.array] for c in channels)), source.take)

    def shares(self, curve_id: str, part: Part) -> bool:
        """Whether a part of the curve's recipe is that of its family."""
        return part in self.entry(curve_id).shared and self.family_of(curve_id) is not None

    def _owner(self, curve_id: str, part: Part) -> Recipe:
        entry = self._entries[curve_id]
        family = self._families.get(curve_id) if part in entry.shared else None
        return entry.recipe if family is None else family.recipe

    def slots(self, curve_id: str) -> tuple[StepSlot, ...]:
        """The steps in force for a curve: its own, or those that its family shares."""
        return self._owner(curve_id, "sieve").sieve

    def model(self, curve_id: str) -> Model:
        """The model in force for a curve: its own, or the one that its family shares."""
        return self._owner(curve_id, "model").model

    def measures(self, curve_id: str) -> tuple[MeasureSlot, ...]:
        """The measures in force for a curve: its own, or those that its family shares."""
        return self._owner(curve_id, "measures").measures

    def quantities(self, curve_id: str) -> tuple[Quantity, ...]:
        """The quantities that formulas of a curve's measures may name.

        Its own come before those of its family, and these before those in the preamble of its file.
        """
        family, record = self.family_of(curve_id), self.record_of(curve_id)
        found: dict[str, Quantity] = {}
        in_file = quantities_in(record.metadata) if record is not None else ()
        for one in (*self.entry(curve_id).quantities, *(family.quantities if family else ()), *in_file):
            found.setdefault(one.name, one)
        return tuple(found.values())

    def recipe(self, curve_id: str) -> Recipe:
        """All that is done to a curve, wherever it is said."""
        return Recipe(sieve=self.slots(curve_id), model=self.model(curve_id), measures=self.measures(curve_id))

    def sieve(self, curve_id: str) -> Sieve:
        """The steps in force for a curve, ready to be put to it."""
        return Sieve(self.slots(curve_id))

    def fit_key(self, curve_id: str) -> str:
        """A hash of all that a fit depends on: the record's numbers, the steps, the model with its starts.

        And of the curves that its steps take from: their numbers and the steps that those pass through.
        """
        model = self.model(curve_id)
        return self._key(curve_id, (model,), lambda: [model.model_dump_json()])

    def measures_key(self, curve_id: str) -> str:
        """A hash of all that the readings of a curve's measures depend on; see `fit_key`."""
        slots, family = self.measures(curve_id), self.family_of(curve_id)
        asks_fit = any(slot.on and slot.rule.of_fit for slot in slots)
        fit = self.fit(curve_id) if asks_fit and self.fit_is_current(curve_id) else None
        parts = ("measures", slots, fit, self._entries[curve_id].quantities, family.quantities if family else ())

        def said() -> list[str]:
            acting = [slot.model_dump_json() for slot in slots if slot.on]
            return [*acting, *map(repr, self.quantities(curve_id)), fit.identity if fit else ""]

        return self._key(curve_id, parts, said)

    def _key(self, curve_id: str, what: tuple[object, ...], said: Callable[[], list[str]]) -> str:
        """A hash of the numbers of a curve, of the steps it passes, of what these take from others, and of more.

        `what` are the very objects that `said` is written from.
        """
        entry, slots = self._entries[curve_id], self.slots(curve_id)
        others = self._taken(curve_id, slots)

        def key() -> str:
            parts = [self.digest(curve_id), Sieve(slots).key(), *said()]
            for id_ in others:
                parts += [self.digest(id_), self.giving(id_).key()]
            return _hash(parts)

        if not isinstance(entry.source, FromRecord):
            return key()  # it changes with other curves and their fits
        theirs = [part for id_ in others for part in (self.entry(id_).source, self.slots(id_))]
        if not all(isinstance(part, FromRecord | tuple) for part in theirs):
            return key()
        return _keys.get((entry.source, self._records[entry.source.record], slots, *what, *theirs), key)

    def digest(self, curve_id: str) -> str:
        """A hash of the curve before its sieve: of its numbers, or of what it is made of; numbers are hashed once."""
        source = self.entry(curve_id).source
        if isinstance(source, FromRecord):
            channels = self.record_entry(source.record).channels
            key = (source.take, tuple(channels[i] for i in source.take.places))
            if key not in _digests:
                if len(_digests) > _MAX_DIGESTS:
                    _digests.clear()
                _digests[key] = self.from_record(curve_id).digest
            return _digests[key]
        if curve_id in self.needs(curve_id):
            return _hash(["made of itself", curve_id])
        parts = [source.model_dump_json()]
        if isinstance(source, FromChart):
            found = self.series(source)
            return _hash([*parts, *(part.model_dump_json() for part in found or ())])
        if isinstance(source, FromField):
            return _hash([*parts, self.field_key(source.field)])
        for id_ in self.members(curve_id):
            entry = self.entry(id_)
            if isinstance(source, FromMean):
                parts += [self.digest(id_), self.giving(id_).key()]
            else:
                fit = self.fit(id_) if self.fit_is_current(id_) else None
                parts += [
                    repr(entry.condition),
                    fit.identity if fit else "",
                    self.measures_key(id_) if self.measures(id_) else "",
                ]
        return _hash(parts)

    def members(self, curve_id: str) -> list[str]:
        """The curves that a curve is made of: of a ledger or a mean its family's, but for itself; or of its field."""
        source = self.entry(curve_id).source
        if isinstance(source, FromField):
            return self.field_curves(source.field)
        if isinstance(source, FromRecord | FromChart):
            return []
        family = next((f for f in self.document.families if f.id == source.family), None)
        group = source.group if isinstance(source, FromMean) else ""
        others = [id_ for id_ in (family.curves if family else ()) if id_ != curve_id]
        return [id_ for id_ in others if not group or self.entry(id_).group == group]

    def needs(self, curve_id: str) -> frozenset[str]:
        """The curves that a curve and its fit are made of, near and far; itself, where it goes in a circle."""
        found: set[str] = set()
        ahead = [curve_id]
        while ahead:
            here = ahead.pop()
            for id_ in (*self.members(here), *self.taken_from(here)):
                if id_ not in found:
                    found.add(id_)
                    ahead.append(id_)
        return frozenset(found)

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

    def fit(self, curve_id: str) -> FitEntry | None:
        """The curve's fit: one of just what stands there now, or else the last one, which is out of date."""
        return self._fit_and_state(curve_id)[0]

    def fit_is_current(self, curve_id: str) -> bool:
        """Whether the curve has a fit and nothing that it was made from has changed since."""
        return self.fit_state(curve_id) in ("fitted", "did not converge")

    def fit_state(self, curve_id: str) -> str:
        """``not fitted``, ``out of date``, ``did not converge`` or ``fitted``."""
        return self._fit_and_state(curve_id)[1]

    def _fit_and_state(self, curve_id: str) -> tuple[FitEntry | None, str]:
        found = self._states.get(curve_id)
        if found is None:
            found = self._states[curve_id] = self._found(curve_id)
        return found

    @cached_property
    def _states(self) -> dict[str, tuple[FitEntry | None, str]]:
        return {}

    def _found(self, curve_id: str) -> tuple[FitEntry | None, str]:
        if not self.results:
            return None, "not fitted"
        current = self.results.get(self.fit_key(curve_id)) if self.model(curve_id).terms else None
        if current is not None and current.joint and not self._joint_stands(curve_id, current.joint):
            return current, "out of date"
        if current is not None:
            return current, "fitted" if current.result.converged else "did not converge"
        last = self.results.get(self._entries[curve_id].result)
        return last, "not fitted" if last is None else "out of date"

    def _joint_stands(self, curve_id: str, key: str) -> bool:
        """Whether the joint fit of that key is the last of the curve's family, and of all as it stands."""
        family = self.family_of(curve_id)
        if family is None or family.joint is None or family.joint.key != key:
            return False
        return curve_id in family.joint.curves and self.joint_key(family.id) == key

    def jointly_fitted(self, family_id: str) -> list[str]:
        """The curves that a joint fit of the family takes: those under its model that are not left out."""
        family = self.family(family_id)
        return [id_ for id_ in family.curves if id_ not in family.apart and self.shares(id_, "model")]

    def family(self, family_id: str) -> Family:
        """The family of that id; KeyError where there is none."""
        found = next((family for family in self.document.families if family.id == family_id), None)
        if found is None:
            raise KeyError(family_id)
        return found

    @cached_property
    def _joint_keys(self) -> dict[str, str]:
        return {}

    def joint_key(self, family_id: str) -> str:
        """A hash of all that a joint fit of a family depends on: what its curves' fits do, and how they share."""
        found = self._joint_keys.get(family_id)
        if found is None:
            family = self.family(family_id)
            sharing = [one for one in family.sharing if one.name in family.recipe.model.names]
            parts = [one.model_dump_json() for one in sharing]
            for id_ in self.jointly_fitted(family_id):
                condition = repr(self.entry(id_).condition) if any(one.law for one in sharing) else ""
                parts += [id_, self.fit_key(id_), condition]
            found = self._joint_keys[family_id] = _hash(parts)
        return found

    def joint_state(self, family_id: str) -> str:
        """``""`` where there was no joint fit, ``fitted``, ``did not converge``, or ``out of date``."""
        joint = self.family(family_id).joint
        if joint is None:
            return ""
        fits = [self.results.get(self.fit_key(id_)) for id_ in joint.curves if self.has(id_)]
        parts = all(fit is not None and fit.joint == joint.key for fit in fits)
        if joint.key != self.joint_key(family_id) or not parts:
            return "out of date"
        return "fitted" if joint.result.converged else "did not converge"

    def readings(self, curve_id: str) -> tuple[Reading, ...]:
        """The readings of the curve's fit; none when it has none, or one that is out of date."""
        fit = self.fit(curve_id)
        return fit.readings if fit is not None and self.fit_is_current(curve_id) else ()

    def settled(self) -> Study:
        """The same study, in which every curve names the fit that it has, and no other fits are remembered."""
        fits = {curve.id: self.fit(curve.id) for curve in self.document.curves}
        curves = tuple(
            curve if curve.result == (key := fit.key if (fit := fits[curve.id]) else "") else
            curve.model_copy(update={"result": key})
            for curve in self.document.curves
        )  # fmt: skip
        results = {fit.key: fit for fit in fits.values() if fit is not None}
        return replace(self.with_document(curves=curves), results=results)


def _hash(parts: list[str]) -> str:
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()
