"""Plots, what is drawn on them, and what can be taken hold of; nothing here knows the study."""
