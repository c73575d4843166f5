"""Running medians and quantiles."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_FEW_VALUES = 250_000
"""Up to so many window values NumPy sorts the windows themselves: quicker than loading SciPy's filter."""


def running_median(y: NDArray[np.float64], window: int) -> NDArray[np.float64]:
    """The median of the window around each point (an even window is made odd); ends are mirrored.

    `y` has shape (n,), and so has the answer.
    """
    return running_quantile(y, window, 0.5)


def running_quantile(y: NDArray[np.float64], window: int, quantile: float) -> NDArray[np.float64]:
    """The value of that rank, rounded down, in the window around each point (see `running_median`).

    `y` has shape (n,), and so has the answer.
    """
    window |= 1
    half, rank = window // 2, int(window * quantile)
    if y.size * window <= _FEW_VALUES and half < y.size:  # loading the library takes longer than this
        padded = np.pad(y, half, mode="reflect")
        windows = np.lib.stride_tricks.sliding_window_view(padded, window)
        return np.ascontiguousarray(np.partition(windows, rank, axis=1)[:, rank])
    from scipy.ndimage import rank_filter

    return np.asarray(rank_filter(y, rank, size=window, mode="mirror"), dtype=np.float64)
