"""Two groups of readings set against one another: do they differ, and by how much?

The tests are SciPy's: Welch's t and the Mann–Whitney U for groups, Student's t of differences and the Wilcoxon signed
rank for pairs (common practice).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from curvesieve.core.errors import InputError, counted

_FEW = 6


@dataclass(frozen=True)
class Compared:
    """The difference of the means of the first and the second, its 95 % interval, and the tests by name with their p.

    `cautions` are sentences on what so few numbers can say.
    """

    difference: float
    interval: tuple[float, float]
    tests: tuple[tuple[str, float, float], ...]
    cautions: tuple[str, ...] = ()


def compare_groups(first: Sequence[float], second: Sequence[float], paired: bool = False) -> Compared:
    """Two groups of numbers compared; `paired` ones belong together one by one, in their order.

    Raises InputError for groups of fewer than two, pairs of unequal number, and numbers that are all alike.
    """
    from scipy import stats

    a, b = np.asarray(first, dtype=float), np.asarray(second, dtype=float)
    if min(a.size, b.size) < 2:
        raise InputError("Each group needs two readings at the least to be compared.")
    if not (np.isfinite(a).all() and np.isfinite(b).all()):
        raise InputError("Only readings that are numbers can be compared.")
    if paired and a.size != b.size:
        raise InputError(f"Pairs are of equal number; here are {a.size} and {b.size}.")
    apart = a - b if paired else None
    if (np.ptp(apart) == 0) if apart is not None else (np.ptp(a) == 0 and np.ptp(b) == 0):
        raise InputError("The readings of each group are all alike: there is no scatter to test against.")
    if apart is not None:
        t = stats.ttest_rel(a, b)
        signed = stats.wilcoxon(apart)
        rank = float(signed.statistic), float(signed.pvalue)
        names = ("Student's t of the differences", "Wilcoxon signed rank")
        smallest = 2.0 ** (1 - int(np.count_nonzero(apart)))
    else:
        t = stats.ttest_ind(a, b, equal_var=False)
        sums = stats.mannwhitneyu(a, b)
        rank = float(sums.statistic), float(sums.pvalue)
        names = ("Welch's t", "Mann–Whitney U")
        smallest = 2.0 / math.comb(a.size + b.size, a.size)
    ends = t.confidence_interval(0.95)
    cautions = []
    if min(a.size, b.size) < _FEW:
        cautions.append(
            f"With {counted(int(min(a.size, b.size)), 'reading')} in a group, t rests on the scatter being normal, "
            "which so few cannot show."
        )
    if smallest > 0.05:
        cautions.append(f"So few cannot reach p below {smallest:.2g} in the rank test, however far apart they are.")
    return Compared(
        float(a.mean() - b.mean()), (float(ends.low), float(ends.high)),
        ((names[0], float(t.statistic), float(t.pvalue)), (names[1], *rank)),
        tuple(cautions),
    )  # fmt: skip
