"""Ways of filling in between points, each a declaration; see `base.Way`."""

from curvesieve.core.fields.ways.base import Filler, Way, parse_way, registered_ways

__all__ = ["Filler", "Way", "parse_way", "registered_ways"]
