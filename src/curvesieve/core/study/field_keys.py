"""What the fields of a study depend on, as hashes: a field, and a curve that is a slice of it."""

from __future__ import annotations

import hashlib
import json
from abc import abstractmethod

from curvesieve.core.steps import Sieve
from curvesieve.core.study.document import CurveEntry, Document, Family, RecordEntry
from curvesieve.core.study.field_parts import FieldEntry, OfChannels, OfDifference, OfFamily, OfFormula, OfTable


class WithFields:
    """The part of a study that knows its fields."""

    document: Document

    @abstractmethod
    def entry(self, curve_id: str) -> CurveEntry: ...
    @abstractmethod
    def digest(self, curve_id: str) -> str: ...
    @abstractmethod
    def giving(self, curve_id: str) -> Sieve: ...
    @abstractmethod
    def record_entry(self, record_id: str) -> RecordEntry: ...

    def field(self, field_id: str) -> FieldEntry | None:
        """The field of that id; None where it is gone."""
        return next((field for field in self.document.fields if field.id == field_id), None)

    def field_origin(self, field_id: str) -> str:
        """Where the points of a field are from, in a few words."""
        field = self.field(field_id)
        if field is None:
            return "a field that is gone"
        source = field.source
        if isinstance(source, OfFormula):
            return f"z = {source.formula}"
        if isinstance(source, OfFamily):
            family = self._family_named(source.family)
            return f"the family {family.label}" if family is not None else "a family that is gone"
        if isinstance(source, OfDifference):
            others = [self.field(id_) for id_ in (source.first, source.second)]
            return " less ".join(one.name if one is not None else "a field that is gone" for one in others)
        found = next((one for one in self.document.records if one.id == source.record), None)
        return found.file_name if found is not None else "a record that is gone"

    def field_curves(self, field_id: str, seen: frozenset[str] = frozenset()) -> list[str]:
        """The curves that a field is made of, also by way of others that it is the difference of."""
        field = self.field(field_id)
        if field is None or field_id in seen:
            return []
        source = field.source
        if isinstance(source, OfFamily):
            family = self._family_named(source.family)
            return list(family.curves) if family is not None else []
        if isinstance(source, OfDifference):
            return [
                id_ for other in (source.first, source.second) for id_ in self.field_curves(other, seen | {field_id})
            ]
        return []

    def points_key(self, field_id: str, seen: frozenset[str] = frozenset()) -> str:
        """A hash of all that the points of a field depend on, after its sieve."""
        field = self.field(field_id)
        if field is None or field_id in seen:
            return _hash(["gone", field_id])
        source = field.source
        parts = [source.model_dump_json()]
        if isinstance(source, OfChannels | OfTable):
            records = [record for record in self.document.records if record.id == source.record]
            parts += [
                f"{channel.array} {channel.name} {channel.unit}" for record in records for channel in record.channels
            ]
        elif isinstance(source, OfFamily):
            family = self._family_named(source.family)
            for id_ in family.curves if family is not None else ():
                parts += [id_, self.digest(id_), self.giving(id_).key(), repr(self.entry(id_).condition)]
            parts += [family.condition, family.unit] if family is not None else []
        elif isinstance(source, OfDifference):
            parts += [self.field_key(other, seen | {field_id}) for other in (source.first, source.second)]
        parts.append(json.dumps([slot.rule.to_json() for slot in field.sieve if slot.on], sort_keys=True))
        return _hash(parts)

    def field_key(self, field_id: str, seen: frozenset[str] = frozenset()) -> str:
        """A hash of all that the surface of a field depends on."""
        field = self.field(field_id)
        if field is None or field_id in seen:
            return _hash(["gone", field_id])
        filling = field.filling
        parts = [self.points_key(field_id, seen), filling.model_dump_json() if filling is not None else "as suits"]
        if filling is not None and filling.grid.like:
            parts.append(self.field_key(filling.grid.like, seen | {field_id}))
        return _hash(parts)

    def _family_named(self, family_id: str) -> Family | None:
        return next((family for family in self.document.families if family.id == family_id), None)


def _hash(parts: list[str]) -> str:
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()
