"""Dates and clock times in a column: they become seconds since the first one."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

_CLOCK = r"(?:[T ]+\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d{1,9})?)?(?:\s?[AaPp][Mm])?)?(?:Z|[+-]\d{2}:\d{2})?"
_MONTHS = {
    name: i
    for i, names in enumerate(
        ("jan", "feb", "mar mär mrz", "apr", "may mai", "jun", "jul", "aug", "sep", "oct okt", "nov", "dec dez"), 1
    )
    for name in names.split()
}  # fmt: skip
_DAY_MONTH = re.compile(r"^(\d{1,2})[-/. ]{1,2}([A-Za-zä]{3,9})\.?[-/. ]+(\d{4}|\d{2})(?!\d)")
_SHORT_YEAR = re.compile(r"^(\d{1,2})([-/.])(\d{1,2})\2(\d{2})(?!\d)")
MOMENT = re.compile(
    rf"(?:\d{{4}}[-/.]\d{{1,2}}[-/.]\d{{1,2}}|\d{{1,2}}[-/.]\d{{1,2}}[-/.](?:\d{{4}}|\d{{2}})){_CLOCK}\Z"
    rf"|\d{{1,2}}[-/. ]{{1,2}}(?:{'|'.join(_MONTHS)})[a-zä]{{0,6}}\.?[-/. ]+(?:\d{{4}}|\d{{2}}){_CLOCK}\Z"
    r"|\d{1,3}:\d{2}(?::\d{2}(?:[.,]\d{1,9})?)?(?:\s?[AaPp][Mm])?\Z",
    re.IGNORECASE,
)
_HALF_DAY, _DAY = 43_200.0, 86_400.0


@dataclass(frozen=True)
class MomentColumn:
    """How a column of moments is written: the order of a date (``ymd``, ``dmy``, ``mdy``) or ``clock``."""

    column: int
    order: str
    sure: bool = True

    def describe(self) -> str:
        """How the moments are read, in words."""
        names = {"ymd": "year, month, day", "dmy": "day, month, year", "mdy": "month, day, year"}
        return names.get(self.order, "clock time") + ("" if self.sure else " (the other order would fit as well)")


def _plain(cell: str) -> str:
    """A date with a named month, or a year of two digits, with numbers and four; years from 70 on are of 19.."""
    if (match := _DAY_MONTH.match(cell)) and (month := _MONTHS.get(match[2][:3].casefold())):
        return f"{match[1]}.{month:02d}.{_year(match[3])}{cell[match.end() :]}"
    if match := _SHORT_YEAR.match(cell):
        return f"{match[1]}{match[2]}{match[3]}{match[2]}{_year(match[4])}{cell[match.end() :]}"
    return cell


def _year(text: str) -> str:
    return text if len(text) == 4 else f"{'19' if int(text) >= 70 else '20'}{text}"


def order_of(column: int, cells: Sequence[str]) -> MomentColumn:
    """The way in which cells that look like moments are to be read."""
    cells = [_plain(cell) for cell in cells]
    dates = [re.split(r"[-/.]", re.split(r"[T ]", cell)[0]) for cell in cells if not re.match(r"\d{1,3}:", cell)]
    if not dates:
        return MomentColumn(column, "clock")
    if len(dates[0][0]) == 4:
        return MomentColumn(column, "ymd")
    firsts, seconds = ({int(date[i]) for date in dates if len(date) == 3} for i in (0, 1))
    slashes = any("/" in cell for cell in cells)
    if max(seconds, default=0) > 12:
        return MomentColumn(column, "mdy")
    return MomentColumn(column, "dmy", max(firsts, default=0) > 12 or not slashes)


def seconds(texts: Sequence[str], how: MomentColumn) -> NDArray[np.float64]:
    """Seconds since 1970 (dates) or since midnight (clock times), NaN for what is not such a moment.

    The answer has shape (n,), a value a text.
    """
    import pandas as pd

    if how.order != "clock":
        texts = [_plain(text.strip()) for text in texts]
    series: Any = pd.Series(texts, dtype="str").str.strip().str.replace(",", ".", regex=False)
    if how.order == "clock":
        afternoon = series.str.contains(r"[Pp][Mm]$", regex=True).to_numpy(bool)
        noon = series.str.contains(r"^12:.*[AaPp][Mm]$", regex=True).to_numpy(bool)
        series = series.str.replace(r"\s?[AaPp][Mm]$", "", regex=True)
        series = series.where(series.str.count(":") != 1, series + ":00")
        found = pd.to_timedelta(series, errors="coerce").to_numpy("timedelta64[ns]")
        made = np.where(np.isnat(found), np.nan, found.astype(np.int64) / 1e9)
        return np.asarray(made + _HALF_DAY * afternoon - _HALF_DAY * noon)
    if how.order != "ymd":
        day, month = (1, 2) if how.order == "dmy" else (2, 1)
        series = series.str.replace(r"^(\d{1,2})[-/.](\d{1,2})[-/.](\d{4})", rf"\3-\g<{month}>-\g<{day}>", regex=True)
    else:
        series = series.str.replace(r"^(\d{4})[/.](\d{1,2})[/.](\d{1,2})", r"\1-\2-\3", regex=True)
    whole: Any = pd.to_datetime(series, errors="coerce", format="mixed", utc=True)
    found = whole.dt.tz_localize(None).to_numpy("datetime64[ns]")
    return np.asarray(np.where(np.isnat(found), np.nan, found.astype(np.int64) / 1e9))


def since_first(values: NDArray[np.float64], how: MomentColumn) -> tuple[NDArray[np.float64], str]:
    """Seconds since the first moment, and the sentence that says so. Clock times go on over midnight.

    `values` has shape (n,), and so has the answer.
    """
    known = np.flatnonzero(np.isfinite(values))
    if not known.size:
        return values, "no moment could be read"
    first = float(values[known[0]])
    if how.order == "clock":
        days = np.zeros(values.size)
        days[known[1:]] = np.cumsum(np.diff(values[known]) < -_HALF_DAY)
        hours, rest = divmod(first, 3600)
        origin = f"{int(hours):02d}:{int(rest // 60):02d}:{rest % 60:06.3f}".rstrip("0").rstrip(".")
        return values + _DAY * days - first, f"clock times, counted in s from {origin}"
    origin = str(np.datetime64(round(first * 1e6), "us")).replace("T", " ").removesuffix(".000000")
    return values - first, f"dates read as {how.describe()}, counted in s from {origin}"
