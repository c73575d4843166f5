"""The study file: a ZIP of study.json, records/*.npy, sources/* and results/*.json; written whole or not at all."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

import numpy as np
from pydantic import ValidationError

from curvesieve.core.curve import Floats, frozen
from curvesieve.core.errors import InputError
from curvesieve.core.files import remove_left_over_parts, write_whole
from curvesieve.core.study.document import SCHEMA_VERSION, Document, FitEntry
from curvesieve.core.study.migrations import migrated
from curvesieve.core.study.study import Study

SUFFIX = ".sieve"
MAX_ENTRIES = 60_000
MAX_UNPACKED_BYTES = 8 * 2**30
MAX_JSON_BYTES = 256 * 2**20
_FIXED_TIME = (2020, 1, 1, 0, 0, 0)


def save_study(study: Study, path: str | Path) -> None:
    """Writes the study; a crash or a full disk leaves an older file whole. Raises InputError with the reason."""
    path = Path(path)
    remove_left_over_parts(path)
    write_whole(path, lambda file: _write(study, file))


def array_key(values: Floats) -> str:
    """The hash by which numbers are kept; an array of several dimensions is told from one of another shape.

    Of any shape, float64.
    """
    shape = b"" if values.ndim == 1 else repr(values.shape).encode()
    return hashlib.sha256(shape + np.ascontiguousarray(values).tobytes()).hexdigest()


def array_bytes(values: Floats) -> bytes:
    """Numbers as the content of an .npy file. Of any shape, float64."""
    buffer = io.BytesIO()
    np.save(buffer, values, allow_pickle=False)
    return buffer.getvalue()


def _write(study: Study, file: BinaryIO) -> None:
    study = study.settled()
    document, held = study.document, study.document.holds()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive:

        def put(name: str, content: bytes) -> None:
            archive.writestr(zipfile.ZipInfo(name, _FIXED_TIME), content, zipfile.ZIP_DEFLATED)

        put("study.json", document.model_dump_json(indent=1).encode())
        for key in sorted(held.arrays):
            put(f"records/{key}.npy", array_bytes(study.arrays[key]))
        for key in sorted(held.sources):
            put(f"sources/{key}", study.sources[key])
        for key in sorted(held.results):
            put(f"results/{key}.json", study.results[key].model_dump_json().encode())


def load_study(path: str | Path) -> Study:
    """Reads a study file. Raises InputError when it is missing, cut short, damaged, newer, or not a study."""
    path = Path(path)
    try:
        with zipfile.ZipFile(path) as archive:
            _check_members(archive, path.name)
            size = archive.getinfo("study.json").file_size if "study.json" in archive.namelist() else 0
            if size > MAX_JSON_BYTES:
                raise InputError(f"{path.name} cannot be opened: its study.json is too large.")
            return study_of(lambda part: _part(archive, part, path.name), path.name)
    except OSError as error:
        raise InputError(f"{path.name} cannot be read from {path.parent}: {error.strerror or error}.") from error
    except (zipfile.BadZipFile, EOFError, KeyError, NotImplementedError, RuntimeError) as error:
        raise InputError(
            f"{path.name} is not a study, or the file is cut short or damaged ({error}). Nothing was opened."
        ) from error


def study_of(part: Callable[[str], bytes], name: str) -> Study:
    """A study from its parts: ``study.json``, ``records/HASH.npy``, ``sources/HASH``, ``results/HASH.json``.

    Raises InputError for damage.
    """
    document, older = _document(part("study.json"), name)
    held = document.holds()
    arrays = {key: _array(part(f"records/{key}.npy"), key, name) for key in held.arrays}
    sources = {key: _source(part(f"sources/{key}"), key, name) for key in held.sources}
    results = {key: older.get(key) or _result(part(f"results/{key}.json"), key, name) for key in held.results}
    for record in document.records:
        if len({arrays[channel.array].size for channel in record.channels}) > 1:
            raise InputError(f"{name} is damaged: the channels of {record.file_name} differ in length.")
    return Study(document, arrays, sources, results)


def _check_members(archive: zipfile.ZipFile, name: str) -> None:
    members = archive.infolist()
    total = sum(member.file_size for member in members)
    if len(members) > MAX_ENTRIES or total > MAX_UNPACKED_BYTES:
        raise InputError(
            f"{name} holds {len(members)} parts of {total / 2**20:.0f} MiB in all; that is too much for a study."
        )


def _part(archive: zipfile.ZipFile, part: str, name: str) -> bytes:
    """A member's bytes, never more than the archive declares for it."""
    try:
        info = archive.getinfo(part)
        with archive.open(info) as file:
            content = file.read(info.file_size + 1)
    except (zipfile.BadZipFile, zipfile.zlib.error, EOFError, KeyError) as error:  # type: ignore[attr-defined]
        raise InputError(f"{name} is not a study, or is damaged: {part} cannot be read ({error}).") from error
    if len(content) > info.file_size:
        raise InputError(f"{name} is damaged: {part} is larger than it says.")
    return content


def _document(content: bytes, name: str) -> tuple[Document, dict[str, FitEntry]]:
    """The document, and the fits that an older file has within it."""
    older: dict[str, FitEntry] = {}
    try:
        data = json.loads(content)
        version = data.get("version") if isinstance(data, dict) else None
        if isinstance(version, int) and version > SCHEMA_VERSION:
            raise InputError(
                f"{name} was written by a newer Curve Sieve (version {version} of the file, {SCHEMA_VERSION} is known "
                "here). Update the program to open it."
            )
        if isinstance(version, int) and 0 < version < SCHEMA_VERSION:
            tree = migrated(data)
            older = {key: FitEntry.model_validate_json(json.dumps(fit)) for key, fit in tree.pop("results", {}).items()}
            content = json.dumps(tree).encode()
        # Strict JSON types: a number written as a text is a sign of damage, not something to be guessed at.
        return Document.model_validate_json(content), older
    except ValidationError as error:
        fault = error.errors()[0]
        place = " → ".join(str(part) for part in fault["loc"]) or "the whole"
        raise InputError(f"{name} is damaged: in study.json, {place}: {fault['msg']}.") from error
    except (ValueError, LookupError, TypeError, AttributeError, StopIteration, RecursionError) as error:
        if isinstance(error, InputError):
            raise
        raise InputError(f"{name} is not a study: its study.json cannot be read.") from error


def _array(content: bytes, key: str, name: str) -> Floats:
    try:
        array = np.load(io.BytesIO(content), allow_pickle=False)
    except (ValueError, EOFError, OSError) as error:
        raise InputError(f"{name} is damaged: the numbers {key[:8]}… cannot be read.") from error
    if array.dtype != np.float64 or array_key(array) != key:
        raise InputError(f"{name} is damaged: the numbers {key[:8]}… are not those that were saved.")
    return frozen(array)


def _source(content: bytes, key: str, name: str) -> bytes:
    if hashlib.sha256(content).hexdigest() != key:
        raise InputError(f"{name} is damaged: the imported file {key[:8]}… is not the one that was saved.")
    return content


def _result(content: bytes, key: str, name: str) -> FitEntry:
    try:
        found = FitEntry.model_validate_json(content)
    except ValidationError as error:
        fault = error.errors()[0]
        place = " → ".join(str(part) for part in fault["loc"])
        raise InputError(f"{name} is damaged: in the fit {key[:8]}…, {place}: {fault['msg']}.") from error
    if found.key != key:
        raise InputError(f"{name} is damaged: the fit {key[:8]}… is another one.")
    return found
