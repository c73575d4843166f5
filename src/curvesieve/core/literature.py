"""Values from the literature that measured ones are set beside: a small open table, with rows of the user's own."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from pydantic import BaseModel, ConfigDict, ValidationError

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.files import write_bytes
from curvesieve.core.folders import application_folder
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import concise
from curvesieve.core.study.ledger import Column, Ledger, Spread

_VERSION = 1


class Literature(BaseModel):
    """A value of a material: what is read (the name of a ledger's column), value, u, unit, and where it is from."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    material: str
    reading: str
    value: float
    u: float | None = None
    unit: str = ""
    source: str

    @property
    def written(self) -> str:
        """``69.0(5) GPa``."""
        number = concise(self.value, self.u) if self.u else f"{self.value:.6g}"
        return f"{number} {units.shown(self.unit)}".strip()

    @classmethod
    def read(cls, material: str, reading: str, text: str, source: str) -> Literature:
        """A row as it is typed; raises InputError for a value that is none, or without a name or the source."""
        for what, given in (("material", material), ("reading", reading), ("source", source)):
            if not given.strip():
                raise InputError(f"A row of the literature needs a {what}; nothing was kept.")
        found = Quantity.read(reading.strip(), text)
        return cls(
            material=material.strip(), reading=reading.strip(), value=found.value, u=found.u or None, unit=found.unit,
            source=source.strip(),
        )  # fmt: skip


_HANDBOOK = "metals handbooks, polycrystal at room temperature; from memory"
HANDBOOK = tuple(
    Literature(material=material, reading="E", value=value, unit="GPa", source=_HANDBOOK)
    for material, value in (
        ("aluminium", 69.0), ("magnesium", 45.0), ("titanium", 116.0), ("steel", 205.0), ("copper", 117.0),
        ("brass", 100.0), ("tungsten", 400.0),
    )
)  # fmt: skip
"""Young's moduli that come with the application: common practice, near these values whatever the alloy."""


def own_file() -> Path:
    """Where the user's own rows lie."""
    return application_folder("literature") / "literature.json"


def load_own() -> tuple[Literature, ...]:
    """The user's own rows; none where there is no file. Raises InputError for a file that cannot be understood."""
    path = own_file()
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError:
        return ()
    except (OSError, ValueError) as error:
        raise InputError(f"{path.name} cannot be read ({error}); put it right, or move it away.") from error
    if not isinstance(data, dict) or data.get("literature") != _VERSION or not isinstance(data.get("rows"), list):
        raise InputError(f'{path.name} must look like {{"literature": {_VERSION}, "rows": [...]}}.')
    try:
        return tuple(Literature.model_validate(row) for row in data["rows"])
    except ValidationError as error:
        fault = error.errors()[0]
        where = " → ".join(str(part) for part in fault["loc"])
        raise InputError(f"{path.name}: a row is wrong at {where}: {fault['msg']}.") from error


def save_own(rows: Sequence[Literature]) -> None:
    """Writes the user's own rows; raises InputError where they cannot be written."""
    path = own_file()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InputError(f"{path.parent} cannot be made: {error}") from error
    data = {"literature": _VERSION, "rows": [row.model_dump(mode="json", exclude_none=True) for row in rows]}
    write_bytes(path, (json.dumps(data, ensure_ascii=False, indent=1) + "\n").encode())


@dataclass(frozen=True)
class Beside:
    """A value of the literature and what was measured of it: mean and its u in the unit of the literature.

    `percent` is how far the mean lies from it in % of it, `in_u` in joint standard uncertainties; None where no u is
    known. `group` is empty for all rows.
    """

    row: Literature
    group: str
    n: int
    mean: float
    u: float | None
    percent: float
    in_u: float | None


def beside(ledger: Ledger, rows: Sequence[Literature]) -> list[Beside]:
    """What a ledger measured of the literature's values: of the group with the material's name, or, in a ledger without
    groups, of all rows. A column belongs to a row whose reading has its title, in a unit of the same kind.

    The u of a mean is s/√n, of a single reading its own; that of the literature is joined in quadrature.
    """
    groups = ledger.groups()
    made = []
    for row in rows:
        for group in groups:
            own = group.name.casefold() == row.material.casefold() if ledger.is_grouped else not group.name
            if not own:
                continue
            for column, spread in zip(ledger.columns, group.columns, strict=True):
                if spread is not None and _same(column, row):
                    made.append(_set_beside(ledger, row, group.name, column, spread))
    return made


def _same(column: Column, row: Literature) -> bool:
    kind = units.in_base(column.final_unit).powers == units.in_base(row.unit).powers
    return kind and column.title.casefold() == row.reading.casefold()


def _set_beside(ledger: Ledger, row: Literature, group: str, column: Column, spread: Spread) -> Beside:
    mean = float(units.convert(np.array(spread.mean), column.final_unit, row.unit))
    factor = abs(units.in_base(column.final_unit).factor / units.in_base(row.unit).factor)
    u = spread.s / math.sqrt(spread.n) * factor if spread.n > 1 else None
    if u is None:
        cells = [one.cell(column) for one in ledger.rows if not group or one.curve.group == group]
        u = next((cell.u * factor for cell in cells if cell is not None and cell.u is not None), None)
    joint = None if u is None else math.hypot(u, row.u or 0.0)
    percent = math.nan if row.value == 0 else 100 * (mean - row.value) / abs(row.value)
    return Beside(row, group, spread.n, mean, u, percent, (mean - row.value) / joint if joint else None)
