"""Height maps in pictures: grey values of 16 and 32 bits (TIFF, PNG) as x, y and z, a row a pixel."""

from __future__ import annotations

import io
import warnings
from typing import Any

import numpy as np

from curvesieve.core.errors import InputError
from curvesieve.core.formats.table import Table, from_channels
from curvesieve.core.record import Source

_MAX_PIXELS = 25_000_000
_PER_UNIT = {2: 25.4, 3: 10.0}
"""Millimetres in TIFF's units of resolution: an inch, a centimetre."""
_SCREEN = (72.0, 96.0)


def recognises(content: bytes) -> bool:
    """Whether a file with these first bytes is a TIFF or a PNG."""
    return content.startswith((b"\x89PNG\r\n\x1a\n", b"II*\0", b"MM\0*"))


def read(source: Source) -> list[Table]:
    """The height map of a picture; y runs upwards. Steps are millimetres where the file says so, else pixels.

    Raises InputError for pictures of colours, for too many pixels and for damaged files.
    """
    from PIL import Image, UnidentifiedImageError

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            image = Image.open(io.BytesIO(source.held), formats=("PNG", "TIFF"))
            if image.width * image.height > _MAX_PIXELS:
                raise InputError(
                    f"{source.name} has {image.width * image.height / 1e6:.0f} million pixels; cut out a part."
                )
            if image.mode not in ("I", "I;16", "I;16B", "F", "L"):
                raise InputError(
                    f"{source.name} is a picture in colours: numbers are traced from it on the Trace bench. "
                    "A height map has grey values, best of 16 or 32 bits."
                )
            image.load()
    except (Image.DecompressionBombError, Image.DecompressionBombWarning) as error:
        raise InputError(f"{source.name} unpacks to more pixels than a height map has; it is not opened.") from error
    except UnidentifiedImageError as error:
        raise InputError(f"{source.name} is no picture that can be opened.") from error
    except (OSError, SyntaxError, EOFError, MemoryError) as error:
        raise InputError(f"{source.name} is damaged and cannot be opened: {error}.") from error
    heights = np.asarray(image, dtype=np.float64)
    notes = []
    frames = getattr(image, "n_frames", 1)
    if frames > 1:
        notes.append(f"{frames} pictures in the file; the first is taken")
    if image.mode == "L":
        notes.append("grey of 8 bits: 256 steps of height at most")
    step_x, step_y, unit = _steps(image)
    if unit == "px":
        notes.append("the file says no size of its pixels: x and y are counted in pixels")
    rows, columns = heights.shape
    x, y = np.tile(step_x * np.arange(columns), rows), np.repeat(step_y * np.arange(rows)[::-1], columns)
    channels = [("x", unit, x), ("y", unit, y), ("height", "", heights.ravel())]
    return [from_channels(source, "height map", "", channels, (("pixels", f"{columns} × {rows}"),), notes)]


def _steps(image: Any) -> tuple[float, float, str]:
    """The size of a pixel along x and y, and its unit."""
    tags = getattr(image, "tag_v2", None)
    if tags is not None and 282 in tags and 283 in tags and tags.get(296) in _PER_UNIT:
        per = [float(tags[282]), float(tags[283])]
        length = _PER_UNIT[tags[296]]
    else:
        per, length = [float(value) for value in image.info.get("dpi", (0.0, 0.0))[:2]], 25.4
    if min(per, default=0.0) <= 0 or (length == 25.4 and all(round(value, 1) in _SCREEN for value in per)):
        return 1.0, 1.0, "px"  # dots per inch of a screen are no size
    return length / per[0], length / per[1], "mm"
