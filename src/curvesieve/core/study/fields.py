"""What a study's fields become: points through their sieve, surfaces, grids, slices, readings. Kept by content."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fields.compare import Judged, Missing, common_ways, compare
from curvesieve.core.fields.grid import Grid
from curvesieve.core.fields.left_out import LeftOut, error_law, left_out
from curvesieve.core.fields.points import Gathered, Points
from curvesieve.core.fields.reads import SeenField, read_field
from curvesieve.core.fields.reads.base import FieldRead
from curvesieve.core.fields.slices import Slice, SliceSpec, cut
from curvesieve.core.fields.sources import of_channels, of_curves, of_difference, of_formula, of_matrix
from curvesieve.core.fields.steps import FieldTrail, pass_points
from curvesieve.core.fields.surface import Filling, Surface, fill, filling_for
from curvesieve.core.fields.ways.base import Stop, Way, unwatched
from curvesieve.core.kept import Kept
from curvesieve.core.study.document import FromField
from curvesieve.core.study.field_parts import FieldEntry, OfChannels, OfDifference, OfFamily, OfFormula, OfTable
from curvesieve.core.study.study import Study

_MOST_NUMBERS, _MOST_SMALL = 60_000_000, 1000
"""So many numbers of points and grids are kept in all (half a gigabyte), and so many small results."""
Passed = Callable[[str], Curve]
"""What gives a curve of the study, by its id, as it passed what it gives through."""


@dataclass(frozen=True, eq=False)
class Prepared:
    """The points of a field as they were gathered, and step by step through its sieve."""

    gathered: Gathered
    trail: tuple[FieldTrail, ...]

    @property
    def points(self) -> Points:
        """What passed."""
        return self.trail[-1].after if self.trail else self.gathered.points


@dataclass(frozen=True, eq=False)
class Filled:
    """A field filled in: its surface, on its grid."""

    surface: Surface
    grid: Grid


def _numbers(one: Prepared | Filled) -> int:
    """How many numbers a result holds, about."""
    if isinstance(one, Filled):
        return 2 * one.grid.z.size + 3 * len(one.surface.points)
    return 3 * sum(len(points) for points in (one.gathered.points, *(trail.after for trail in one.trail)))


_prepared: Kept[Prepared] = Kept(_MOST_NUMBERS // 2, _numbers)
_filled: Kept[Filled] = Kept(_MOST_NUMBERS // 2, _numbers)
_judged: Kept[list[Judged]] = Kept(_MOST_SMALL)
_read: Kept[list[FieldRead]] = Kept(_MOST_SMALL)
_slices: Kept[Slice] = Kept(_MOST_SMALL)
_misses: Kept[LeftOut] = Kept(_MOST_SMALL)


def entry_of(study: Study, field_id: str) -> FieldEntry:
    """A field by its id. Raises InputError where it is gone."""
    found = study.field(field_id)
    if found is None:
        raise InputError("This field is not in the study any more.")
    return found


def prepared(study: Study, field_id: str, passed: Passed) -> Prepared:
    """The points of a field through its sieve. `passed` gives curves of the study as they passed.

    Raises InputError where the points cannot be had, as when their record is gone.
    """
    field = entry_of(study, field_id)
    key = f"{study.points_key(field_id)} {[(slot.id, slot.on) for slot in field.sieve]}"

    def work() -> Prepared:
        gathered = _gathered(study, field, passed)
        return Prepared(gathered, tuple(pass_points(gathered.points, field.sieve)))

    return _prepared.made(key, work)


def _gathered(study: Study, field: FieldEntry, passed: Passed) -> Gathered:
    source = field.source
    if isinstance(source, OfFormula):
        return of_formula(source.formula, source.x, source.y, source.columns, source.rows, source.names)
    if isinstance(source, OfDifference):
        if field.id in _made_of(study, field.id, frozenset()):
            raise InputError("This field is made of itself; choose other fields for the difference.")
        first, second = (filled(study, id_, passed) for id_ in (source.first, source.second))
        return of_difference(first.surface, first.grid, second.surface)
    if isinstance(source, OfFamily):
        family = next((one for one in study.document.families if one.id == source.family), None)
        if family is None:
            raise InputError("The family that this field is made of is not in the study any more.")
        entries = [study.entry(id_) for id_ in family.curves]
        curves = [(one.condition, passed(one.id)) for one in entries if one.condition is not None]
        return of_curves([(c, curve) for c, curve in curves if len(curve)], family.condition, family.unit)
    if all(record.id != source.record for record in study.document.records):
        raise InputError("The record that this field is made of is not in the study any more.")
    channels = study.record(source.record).channels
    if isinstance(source, OfTable):
        return of_matrix(channels, source.with_y, source.x_step, source.y_step, source.names)
    if max(source.places) >= len(channels):
        raise InputError("The record that this field is made of has no such channel.")
    x, y, z = (channels[place] for place in (source.x, source.y, source.z))
    return of_channels(x, y, z, None if source.u is None else channels[source.u])


def _made_of(study: Study, field_id: str, seen: frozenset[str]) -> set[str]:
    """The fields that a field is made of, near and far."""
    field = study.field(field_id)
    if field is None or field_id in seen:
        return set()
    like = [field.filling.grid.like] if field.filling is not None and field.filling.grid.like else []
    source = field.source
    near = [*like, *([source.first, source.second] if isinstance(source, OfDifference) else [])]
    return {*near, *(far for one in near for far in _made_of(study, one, seen | {field_id}))}


def filling_of(field: FieldEntry, points: Points) -> Filling:
    """How a field is filled in: as it says, or as suits its points."""
    return field.filling if field.filling is not None else filling_for(points)


def filled_if_known(study: Study, field_id: str) -> Filled | None:
    """What `filled` gives, where it was worked out already."""
    return _filled.get(study.field_key(field_id))


def filled(study: Study, field_id: str, passed: Passed, watch: Stop = unwatched) -> Filled:
    """The surface of a field on its grid. `watch` is told the share done and may raise to stop.

    A way without a u of its own has one from its misses at left-out points. Raises InputError with what is wrong.
    """
    field = entry_of(study, field_id)

    def work() -> Filled:
        points = prepared(study, field_id, passed).points
        filling = filling_of(field, points)
        axes = None
        if filling.grid.like:
            if field_id in _made_of(study, field_id, frozenset()):
                raise InputError("The grids of two fields are each that of the other; give one of them its own.")
            other = filled(study, filling.grid.like, passed).grid
            axes = other.x, other.y
        surface = fill(points, filling)
        if not surface.filler.u_told and filling.way.slug not in ("as-measured", "spline"):
            try:
                missed = _missed(study, field_id, points, filling)(filling.way, lambda share: watch(0.7 * share))
                surface = Surface(points, filling, surface.plane, surface.filler, error_law(missed))
            except InputError:  # so few points that none can be left out: no u
                pass
        return Filled(surface, surface.grid(axes, lambda share: watch(0.7 + 0.3 * share)))

    return _filled.made(study.field_key(field_id), work)


def judged(study: Study, field_id: str, passed: Passed, watch: Stop = unwatched) -> list[Judged]:
    """The ways of filling a field side by side. Raises InputError as `prepared`."""
    field = entry_of(study, field_id)

    def work() -> list[Judged]:
        points = prepared(study, field_id, passed).points
        filling = filling_of(field, points)
        ways = common_ways(points, filling.way)
        return compare(points, ways, filling, watch, _missed(study, field_id, points, filling))

    return _judged.made(study.field_key(field_id), work)


def _missed(study: Study, field_id: str, points: Points, filling: Filling) -> Missing:
    """What gives the misses of a way at left-out points of a field; those that are known are given at once."""
    of = f"{study.points_key(field_id)} {filling.scaled}"

    def missing(way: Way, watch: Stop) -> LeftOut:
        key = f"{of} {json.dumps(way.to_json())}"
        return _misses.made(key, lambda: left_out(points, way, filling.scaled, watch))

    return missing


def read(study: Study, field_id: str, passed: Passed) -> list[FieldRead]:
    """The readings of a field's measures, in their order. Raises InputError as `filled`."""
    field = entry_of(study, field_id)
    slots = "|".join(slot.model_dump_json() for slot in field.measures)

    def work() -> list[FieldRead]:
        found = filled(study, field_id, passed)
        return read_field(SeenField(found.surface, found.grid), field.measures)

    return _read.made(f"{study.field_key(field_id)} {slots}", work)


def about(study: Study, field_id: str, passed: Passed) -> list[tuple[str, str]]:
    """What was done to a field, as pairs of a word and what there is to say: source, points, steps, way, u.

    Raises InputError as `prepared`; of a field that cannot be filled in it says so.
    """
    field = entry_of(study, field_id)
    made = [("field", field.name), ("source", study.field_origin(field_id))]
    source = field.source
    if isinstance(source, OfChannels | OfTable):
        made += [("SHA-256", one.source) for one in study.document.records if one.id == source.record]
    ready = prepared(study, field_id, passed)
    steps = [
        trail.slot.rule.in_words(trail.before.names.x_unit, trail.before.names.y_unit)
        for trail in ready.trail if trail.slot.on and not trail.problem
    ]  # fmt: skip
    made += [("points", ready.gathered.told), ("steps", "; ".join(steps) or "as recorded")]
    try:
        surface = filled(study, field_id, passed).surface
    except InputError as error:
        return [*made, ("filled in", f"not at all: {error}")]
    made += [("filled in by", surface.filling.way.in_words()), ("found", surface.filler.told)]
    return [*made, ("u", surface.u_told or "none")]


def slice_of(study: Study, field_id: str, spec: SliceSpec, passed: Passed) -> Slice:
    """One slice of a field. Raises InputError as `filled`, and for a line without length."""
    key = f"{study.field_key(field_id)} {spec.model_dump_json()}"
    return _slices.made(key, lambda: cut(filled(study, field_id, passed).surface, spec))


def slice_curve(study: Study, source: FromField, passed: Passed) -> Curve:
    """The curve of a slice. Raises InputError where the field is gone, or nothing is known along it."""
    return slice_of(study, source.field, source.slice, passed).curve()
