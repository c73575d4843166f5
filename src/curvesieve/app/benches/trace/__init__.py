"""The Trace bench: a picture of a printed chart, its axes, and the numbers that are taken from it."""
