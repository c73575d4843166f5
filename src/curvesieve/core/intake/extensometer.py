"""An extensometer that is taken off in mid-test: where, and a strain that goes on from the crosshead."""

from __future__ import annotations

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError

_FALL, _ROWS = 0.2, 3
"""It is off where it falls by this share of its largest value within so many rows while the crosshead goes on."""
_STILL = 0.05
"""Or where it stands still, to the last digit, for this share of all rows at the end."""


def taken_off(extensometer: Floats, crosshead: Floats) -> int | None:
    """The row (from 0) of the last number of an extensometer that was taken off, of shape (rows,); None: it stayed.

    It is taken off where its numbers end, stand still to the last digit, or fall by a fifth of the largest so far
    within three rows, while the crosshead goes on in its direction.
    """
    n = extensometer.size
    known = np.flatnonzero(np.isfinite(extensometer))
    if known.size < 3:
        return None
    last = int(known[-1])
    found = [last] if n - 1 - last >= _ROWS and _goes_on(crosshead, last) else []
    values = extensometer[known]
    moves = np.flatnonzero(np.diff(values) != 0)
    if moves.size and known.size - 2 - moves[-1] >= max(_STILL * n, _ROWS):
        still = int(known[moves[-1] + 1])
        found += [still] if _goes_on(crosshead, still) else []
    high = np.maximum.accumulate(values)
    later = values[np.minimum(np.arange(values.size) + _ROWS, values.size - 1)]
    fallen = np.flatnonzero((values - later > _FALL * high) & (values >= 0.9 * high) & (high > 0.05 * high[-1]))
    if fallen.size:
        at = int(fallen[0])
        near = values[at : at + _ROWS + 1]
        steps = near[:-1] - near[1:]
        place = int(known[at + int(np.argmax(steps > 0.1 * high[at]))])
        found += [place] if _goes_on(crosshead, place) else []
    return min(found, default=None)


def _goes_on(crosshead: Floats, row: int) -> bool:
    """Whether the crosshead goes on behind a row, in the direction that it had, and is not turned back."""
    before, after = crosshead[: row + 1], crosshead[row + 1 : row + 1 + 4 * _ROWS]
    before, after = before[np.isfinite(before)], after[np.isfinite(after)]
    if before.size < 2 or not after.size:
        return False
    way = np.sign(before[-1] - before[0])
    return bool(way * (after[-1] - before[-1]) > 0)


def carried_on(extensometer: Floats, crosshead: Floats, row: int | None = None) -> Floats:
    """The extensometer up to where it was taken off, and from there on with what the crosshead adds.

    Both have shape (rows,) and the same unit; so has the answer. `row` (from 0) is where it was taken off; None: where
    that is found. An extensometer that stayed is given back as it is. Raises InputError for a row that is none.
    """
    if row is None:
        row = taken_off(extensometer, crosshead)
        if row is None:
            return extensometer
    if not 0 <= row < extensometer.size or not np.isfinite(extensometer[row]):
        raise InputError(f"the extensometer has no number in row {row + 1} of {extensometer.size:,}; name another row.")
    made = extensometer.copy()
    made[row + 1 :] = extensometer[row] + crosshead[row + 1 :] - crosshead[row]
    return made
