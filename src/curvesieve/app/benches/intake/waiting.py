"""A file that waits on the Intake bench: understood or not, with what it would give."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from curvesieve.app.session.jobs import Ticket
from curvesieve.core.errors import InputError
from curvesieve.core.record import Record, Source

if TYPE_CHECKING:  # the readers are loaded when the first file comes, not with the window
    from curvesieve.core.formats import Table, Understanding
    from curvesieve.core.intake.applied import Taken
    from curvesieve.core.intake.pattern import Pattern
    from curvesieve.core.quantity import Quantity

Kind = tuple[tuple[str, str], ...]


@dataclass(frozen=True, eq=False)
class Waiting:
    """A file that waits: with its table, the pattern put to it and what that gives, or the reason why it gives none."""

    number: int
    name: str
    table: Table | None = None
    pattern: Pattern | None = None
    taken: Taken | None = None
    problem: str = ""
    path: Path | None = None
    """Where it lies, unless it was pasted or made."""
    own: tuple[Quantity, ...] = ()
    """Quantities that were typed for this file alone."""

    @property
    def record(self) -> Record | None:
        return self.taken.record if self.taken else self.table.record if self.table else None

    @property
    def found(self) -> Understanding | None:
        return self.table.found if self.table else self.text

    @property
    def ready(self) -> bool:
        return self.taken is not None

    text: Understanding | None = None
    """The lines of a file that was not understood, so that its numbers can be pointed at."""
    source: Source | None = None

    @property
    def kind(self) -> Kind:
        return self.pattern.kind if self.pattern else ()

    @property
    def family(self) -> tuple[object, ...]:
        """What it has in common with the files that it will make a family with."""
        from curvesieve.core.intake.pattern import family_kind

        return family_kind(self.pattern) if self.pattern else ()


numbers = itertools.count(1)


def waiting_in(source: Source, saved: list[Pattern], ticket: Ticket) -> list[Waiting]:
    """One for each table found in a source; never raises for what is the file's fault."""
    from curvesieve.core.formats import tables
    from curvesieve.core.intake.library import recognise

    try:
        made = [
            with_pattern(Waiting(next(numbers), table.record.source.name), *recognise(table, saved))
            for table in tables(source, ticket.report)
        ]
    except InputError as error:
        from curvesieve.core.formats.opening import as_text

        return [Waiting(next(numbers), source.name, problem=str(error), text=as_text(source), source=source)]
    for waiting in made:  # hashed here, in the worker, so that bringing in does not wait for it
        if waiting.record is not None:
            _ = waiting.record.source.sha256, [(c.digest, c.extent) for c in waiting.record.channels]
    return made


def with_pattern(waiting: Waiting, table: Table, pattern: Pattern) -> Waiting:
    from curvesieve.core.intake.applied import apply_pattern

    waiting = replace(waiting, table=table, pattern=pattern, taken=None, problem="")
    try:
        return replace(waiting, taken=apply_pattern(table.record, pattern, waiting.own))
    except InputError as error:
        return replace(waiting, problem=str(error))
