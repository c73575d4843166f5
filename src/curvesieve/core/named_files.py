"""What users keep by name: one open JSON file each in a folder, written whole, handed on as it is, running nothing."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Generic, TypeVar

from pydantic import ValidationError

from curvesieve.core.errors import InputError
from curvesieve.core.files import write_text
from curvesieve.core.folders import application_folder

MAX_BYTES = 2**20
T = TypeVar("T")


def read_json(path: Path, word: str) -> Any:
    """The JSON value of a file that should hold a `word`; raises InputError for one that is too large or no JSON."""
    try:
        with path.open("rb") as file:
            content = file.read(MAX_BYTES + 1)
        if len(content) > MAX_BYTES:
            raise InputError(f"{path.name} is too large for a {word}; at most {MAX_BYTES // 1024} kB are read.")
        return json.loads(content)
    except OSError as error:
        raise InputError(f"{path.name} cannot be read: {error.strerror or error}.") from error
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise InputError(f"{path.name} is no JSON file: {error}.") from error


@dataclass(frozen=True)
class NamedFiles(Generic[T]):
    """One kind of what users keep. `word` is what it is called, `suffix` ends its files' names.

    They lie in the application's folder `home`, but where another `folder` is given.

    `parse` makes a value of a JSON value and raises InputError (or pydantic's ValidationError) for what is none; `dump`
    is its inverse. `name_in` tells the name that a value carries itself, and `named` gives it one where it has none;
    without them, the file's name is the name.
    """

    word: str
    home: str
    suffix: str
    parse: Callable[[Any], T]
    dump: Callable[[T], Any]
    name_in: Callable[[T], str] | None = None
    named: Callable[[T, str], T] | None = None

    def folder(self) -> Path:
        """Where they lie. It may not be there yet."""
        return application_folder(self.home)

    def path(self, name: str, folder: Path | None = None) -> Path:
        """Where a value of a name is kept: its letters and numbers, apart from those of other names that look alike.

        Raises InputError for a name without a letter.
        """
        slug = re.sub(r"[^\w-]+", "-", name).strip("-")
        if not slug:
            raise InputError(f"A {self.word} needs a name with a letter or a number in it.")
        folder = folder or self.folder()
        path = folder / f"{slug}{self.suffix}"
        if self.name_in is not None and path.exists() and self._name_of(path) != name:  # “a b” and “a-b” are two
            path = folder / f"{slug}-{hashlib.sha256(name.encode()).hexdigest()[:6]}{self.suffix}"
        return path

    def _name_of(self, path: Path) -> str | None:
        try:
            value = self.load(path)
        except InputError:
            return None
        return self.name_in(value) if self.name_in is not None else self.stem(path)

    def stem(self, path: Path) -> str:
        """The name of a file without its suffix."""
        return path.name.removesuffix(self.suffix)

    def save(self, value: T, name: str, folder: Path | None = None) -> Path:
        """Keeps a value under a name, in the place of an older one of that name; raises InputError with the reason."""
        path = self.path(name, folder)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise InputError(f"{path.name} cannot be written to {path.parent}: {error.strerror or error}.") from error
        self.write(value, path)
        return path

    def write(self, value: T, path: Path) -> None:
        """Writes a value to a file of any name; raises InputError with the reason."""
        write_text(path, json.dumps(self.dump(value), indent=1, ensure_ascii=False) + "\n")

    def load(self, path: Path) -> T:
        """The value of a file; raises InputError, which says what is wrong with it and where."""
        try:
            value = self.parse(read_json(path, self.word))
            nameless = self.name_in is not None and not self.name_in(value)
            return self.named(value, self.stem(path)) if nameless and self.named is not None else value
        except ValidationError as error:
            fault = error.errors()[0]
            where = ".".join(str(part) for part in fault["loc"])
            said = str(fault["msg"]).removeprefix("Value error, ")
            raise InputError(f"{path.name} is no {self.word}: {where + ': ' if where else ''}{said}.") from error
        except InputError as error:
            said = str(error)
            raise error if path.name in said else InputError(f"{path.name}: {said}") from error

    def paths(self, folder: Path | None = None) -> dict[str, Path]:
        """The files of a folder by their names, in the order of the alphabet."""
        return {self.stem(path): path for path in sorted((folder or self.folder()).glob(f"*{self.suffix}"))}

    def load_all(self, folder: Path | None = None, newest_first: bool = False) -> tuple[dict[str, T], list[str]]:
        """The values of a folder by name, and a sentence for each file that is none."""
        found: dict[str, T] = {}
        problems = []
        try:
            paths = list(self.paths(folder).values())
            if newest_first:
                paths.sort(key=lambda path: path.stat().st_mtime, reverse=True)
        except OSError:
            return {}, []
        for path in paths:
            try:
                value = self.load(path)
            except InputError as error:
                problems.append(f"{error} It lies in {path.parent}; save it anew or remove it.")
                continue
            found[self.name_in(value) if self.name_in is not None else self.stem(path)] = value
        return found, problems
