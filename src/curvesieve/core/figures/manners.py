"""Manners that users keep by name, an open JSON file each, to be applied to any figure."""

from __future__ import annotations

from curvesieve.core.named_files import NamedFiles
from curvesieve.core.study.figure_parts import MANNERS, Manner

MANNER_FILES = NamedFiles[Manner](
    word="manner", home="manners", suffix=".manner.json", parse=Manner.model_validate,
    dump=lambda manner: manner.model_dump(mode="json"), name_in=lambda manner: manner.name,
    named=lambda manner, name: manner.model_copy(update={"name": name}),
)  # fmt: skip


def manners() -> tuple[dict[str, Manner], list[str]]:
    """The manners that come with the program and the user's own, by name, and a sentence for each file that is none."""
    own, problems = MANNER_FILES.load_all()
    return {one.name: one for one in MANNERS} | own, problems
