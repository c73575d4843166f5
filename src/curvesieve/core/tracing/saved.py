"""Saved traces: a JSON file with axes and series in pixels beside the picture that they were read from."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from pydantic import Field, ValidationError

from curvesieve.core.errors import InputError
from curvesieve.core.named_files import read_json
from curvesieve.core.tracing.parts import Prepared, TraceSpec
from curvesieve.core.tracing.picture import Picture, open_picture
from curvesieve.core.tracing.prepare import prepared_picture


class SavedTrace(TraceSpec):
    """A trace as it is written: with the name of the picture's file beside it and the SHA-256 of that file's bytes.

    Pixels are those of the picture as it is `prepared`.
    """

    trace: int = Field(default=1, ge=1, le=1)
    picture: str
    prepared: Prepared = Prepared()
    sha256: str = Field(default="", pattern=r"^([0-9a-f]{64})?$")


def written(trace: TraceSpec, picture: str, sha256: str, prepared: Prepared | None = None) -> str:
    """A trace as the text of a JSON file, which stands beside its picture, a file of that name and hash."""
    whole: dict[str, Any] = {"trace": 1, "picture": picture, "sha256": sha256}
    if prepared is not None and prepared != Prepared():
        whole["prepared"] = prepared.model_dump(mode="json", exclude_defaults=True)
    return json.dumps(whole | trace.model_dump(mode="json", exclude_defaults=True), ensure_ascii=False, indent=1)


def load(path: Path) -> tuple[SavedTrace, Picture, tuple[str, ...]]:
    """A saved trace with its picture, and notes on what is odd.

    Raises InputError for a file that is no trace, one whose picture is not beside it, or a picture that cannot be read.
    """
    content = read_json(path, "trace")
    try:
        saved = SavedTrace.model_validate(content)
    except ValidationError as error:
        fault = error.errors()[0]
        where = " ".join(str(part) for part in fault["loc"])
        raise InputError(f"{path.name} is not a trace: {where}: {fault['msg']}.") from error
    picture = open_picture(path.parent / saved.picture)
    notes = list(picture.notes)
    if saved.sha256 and saved.sha256 != picture.sha256:
        notes.append(f"{saved.picture} is not the picture that the trace was made of: its SHA-256 differs.")
    return saved, prepared_picture(picture, saved.prepared), tuple(notes)
