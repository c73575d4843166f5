"""Pictures of charts: opened with care, as arrays of colours; nothing in them is run or trusted."""

from __future__ import annotations

import hashlib
import io
import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.errors import InputError

MAX_PIXELS, MIN_SIDE = 50_000_000, 32
_MAX_BYTES = 200 * 2**20


@dataclass(frozen=True, eq=False)
class Picture:
    """A picture as it was opened: `pixels` of shape (height, width, 3), its name, the SHA-256 of its bytes, notes."""

    name: str
    pixels: NDArray[np.uint8]
    sha256: str
    notes: tuple[str, ...] = ()

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""
        return self.pixels.shape[1], self.pixels.shape[0]


def open_picture(path: Path) -> Picture:
    """The picture of a file. Raises InputError as `read_picture` and `bytes_of`."""
    return read_picture(bytes_of(path), path.name)


def bytes_of(path: Path) -> bytes:
    """The bytes of a picture's file. Raises InputError where it cannot be read, or is larger than pictures are."""
    try:
        if path.stat().st_size > _MAX_BYTES:
            raise InputError(f"{path.name} has more than {_MAX_BYTES // 2**20} MB; make the picture smaller.")
        return path.read_bytes()
    except OSError as error:
        raise InputError(f"{path.name} cannot be read: {error.strerror or error}.") from error


def read_picture(content: bytes, name: str) -> Picture:
    """The picture in some bytes: PNG, JPEG, TIFF, BMP or WebP, on white where it is transparent.

    Raises InputError for what is no picture, is damaged, too large or too small to hold a chart.
    """
    from PIL import Image, UnidentifiedImageError

    notes = []
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            image = Image.open(io.BytesIO(content), formats=("PNG", "JPEG", "TIFF", "BMP", "WEBP"))
        width, height = image.size
        if width * height > MAX_PIXELS:
            raise InputError(f"{name} has {width * height / 1e6:.0f} million pixels; cut out the chart first.")
        if min(width, height) < MIN_SIDE:
            raise InputError(f"{name} is {width} × {height} pixels; a chart needs {MIN_SIDE} each way at the least.")
        if getattr(image, "n_frames", 1) > 1:
            notes.append(f"{name} has {image.n_frames} pictures; the first is taken.")  # type: ignore[attr-defined]
        image.load()
        if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
            clear = image.convert("RGBA")
            ground = Image.new("RGBA", clear.size, "white")
            ground.alpha_composite(clear)
            image = ground  # type: ignore[assignment]
        pixels = np.asarray(_eight_bits(image).convert("RGB")).copy()
    except (Image.DecompressionBombError, Image.DecompressionBombWarning) as error:
        raise InputError(f"{name} unpacks to more pixels than a chart has; it is not opened.") from error
    except UnidentifiedImageError as error:
        raise InputError(f"{name} is no picture that can be opened; PNG, JPEG, TIFF, BMP and WebP are.") from error
    except (OSError, ValueError, SyntaxError, EOFError, MemoryError) as error:
        raise InputError(f"{name} is damaged and cannot be opened: {error}.") from error
    return Picture(name, pixels, hashlib.sha256(content).hexdigest(), tuple(notes))


def _eight_bits(image: Any) -> Any:
    """Grey of 16 bits scaled to 8; Pillow would cut it."""
    if image.mode not in ("I", "I;16", "I;16B", "F"):
        return image
    from PIL import Image

    values = np.asarray(image, dtype=float)
    top = float(values.max()) or 1.0
    return Image.fromarray(np.round(values * (255 / (65535 if top > 255 else 255))).clip(0, 255).astype(np.uint8))
