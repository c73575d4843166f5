"""The demo scenario: made-up measurements of marram films, generated from a seed, with the truth beside them."""

STUDY_NAME = "marram-films.sieve"
EXAMPLE = 3
"""The position of the curve that comes cleaned and fitted: 2.0 wt%."""
