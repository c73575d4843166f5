"""Matplotlib has one set of settings for all threads: who changes them, or must not see them change, holds this."""

from __future__ import annotations

from threading import RLock

DRAWING = RLock()
