"""Numbers of a field, each a declaration; see `base.FieldMeasure`."""

from curvesieve.core.fields.reads.base import (
    FieldMeasure,
    MeasureSlot,
    SeenField,
    parse_field_measure,
    read_field,
    registered_field_measures,
)

__all__ = [
    "FieldMeasure",
    "MeasureSlot",
    "SeenField",
    "parse_field_measure",
    "read_field",
    "registered_field_measures",
]
