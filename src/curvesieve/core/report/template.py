"""Templates of reports: plain text. Lines with # are headings, {part} alone puts a part in, others are words.

The parts are about, figures, readings, quantities, recipes, methods, references, files and versions; {title} and {date}
may stand in any line.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from pathlib import Path

from curvesieve.core.errors import InputError, nearest
from curvesieve.core.named_files import MAX_BYTES

DEFAULT = """\
# {title}
{about}
## Figures
{figures}
## Readings
{readings}
## Quantities
{quantities}
## What was done
{recipes}
## Methods
{methods}
## References
{references}
## Files
{files}
## Made with
{versions}
"""
_NAMED = re.compile(r"\{([^{}]*)\}")


def lines_of(text: str, parts: set[str], words: Mapping[str, str]) -> Iterator[tuple[str, str]]:
    """The lines of a template: ``part`` with its name, ``text``, or the level of a heading, with the words.

    Raises InputError, with the line's number, for a name that there is not.
    """
    for number, line in enumerate(text.splitlines(), 1):
        line = line.strip()
        alone = _NAMED.fullmatch(line)
        if alone is not None and alone[1].strip() in parts:
            yield "part", alone[1].strip()
            continue
        made = _NAMED.sub(lambda match, number=number: _word(match[1], number, parts, words), line)  # type: ignore[misc]
        heading = re.match(r"(#{1,3})\s*(.*)", made)
        if heading is not None:
            yield str(len(heading[1])), heading[2]
        elif made:
            yield "text", made


def _word(name: str, number: int, parts: set[str], words: Mapping[str, str]) -> str:
    if name.strip() in words:
        return words[name.strip()]
    known = [*words, *sorted(parts)]
    if name.strip() in parts:
        raise InputError(f"Line {number} of the template: {{{name}}} stands in a line of its own.")
    raise InputError(f"Line {number} of the template: there is no {name!r}; there are {', '.join(known)}"
                     f"{nearest(name, known)}")  # fmt: skip


def load_template(path: Path) -> str:
    """The text of a template file; raises InputError for one that cannot be read."""
    try:
        with path.open("rb") as file:
            content = file.read(MAX_BYTES + 1)
    except OSError as error:
        raise InputError(f"{path.name} cannot be read: {error.strerror or error}.") from error
    if len(content) > MAX_BYTES:
        raise InputError(f"{path.name} is too large for a template; at most {MAX_BYTES // 1024} kB are read.")
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError(f"{path.name} is no text in UTF-8.") from error
