"""The Family bench: many curves together."""
