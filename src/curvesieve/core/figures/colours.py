"""Colours of a page: walked along a condition, readable as words, and as others see them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats

Eyes = Literal["as printed", "without red", "without green", "without blue", "in grey"]
READABLE = 4.5
"""Contrast of words with the paper (WCAG 2.1, 1.4.3)."""
_ALIKE = 12.0
"""Two colours closer than this in CIELAB (ΔE*ab) are hard to tell apart as thin lines (common practice)."""

# Machado, Oliveira, Fernandes 2009, IEEE Trans. Vis. Comput. Graph. 15, 1291: full severity, on linear RGB.
_SEEN: dict[str, Floats] = {
    "without red": np.array(
        [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]]
    ),
    "without green": np.array(
        [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]]
    ),
    "without blue": np.array(
        [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]]
    ),
}
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722])
"""Of linear sRGB (IEC 61966-2-1)."""
_TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)


def rgb(colour: str) -> Floats:
    """The three shares of ``#rrggbb``, of shape (3,)."""
    return np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)]) / 255


def named(shares: Floats) -> str:
    """``#rrggbb`` of shares of shape (3,)."""
    return "#" + "".join(f"{round(float(one) * 255):02x}" for one in np.clip(shares, 0, 1))


def walk(stops: Sequence[str], share: float) -> str:
    """A colour on the way from stop to stop, from 0 to 1."""
    at = min(max(share, 0.0), 1.0) * (len(stops) - 1)
    low = max(min(int(at), len(stops) - 2), 0)
    high = min(low + 1, len(stops) - 1)
    return named(rgb(stops[low]) + (rgb(stops[high]) - rgb(stops[low])) * (at - low))


def _linear(shares: Floats) -> Floats:
    """Linear RGB of sRGB (IEC 61966-2-1)."""
    return np.where(shares <= 0.04045, shares / 12.92, ((shares + 0.055) / 1.055) ** 2.4)


def _gamma(linear: Floats) -> Floats:
    clipped = np.clip(linear, 0, 1)
    return np.where(clipped <= 0.0031308, clipped * 12.92, 1.055 * clipped ** (1 / 2.4) - 0.055)


def contrast(colour: str, other: str) -> float:
    """The ratio of the lighter to the darker, from 1 to 21 (WCAG 2.1)."""
    light = [float(_linear(rgb(one)) @ _LUMINANCE) for one in (colour, other)]
    return (max(light) + 0.05) / (min(light) + 0.05)


def readable(colour: str, ink: str, paper: str) -> str:
    """The colour, taken towards the ink as far as words in it need to be read on the paper."""
    for share in np.linspace(0, 1, 11):
        made = named(rgb(colour) + (rgb(ink) - rgb(colour)) * share)
        if contrast(made, paper) >= READABLE:
            return made
    return ink


def as_seen(pixels: NDArray[np.uint8], eyes: Eyes) -> NDArray[np.uint8]:
    """Pixels of shape (…, 3 or 4) as eyes without one kind of cones see them, or in grey; an alpha stays as it is."""
    if eyes == "as printed":
        return pixels
    table = _linear(np.arange(256) / 255)
    linear = table[pixels[..., :3]]
    seen = np.repeat((linear @ _LUMINANCE)[..., None], 3, -1) if eyes == "in grey" else linear @ _SEEN[eyes].T
    made = pixels.copy()
    made[..., :3] = np.round(_gamma(seen) * 255)
    return made


def _lab(colour: str, eyes: Eyes) -> Floats:
    """CIELAB (D65) of a colour as these eyes see it."""
    pixel = as_seen(np.round(rgb(colour) * 255).astype(np.uint8)[None], eyes)[0] / 255
    shares = (_TO_XYZ @ _linear(pixel)) / _TO_XYZ.sum(axis=1)
    f = np.where(shares > (6 / 29) ** 3, np.cbrt(shares), shares / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


def alike(colours: Sequence[str], eyes: Eyes) -> list[tuple[int, int]]:
    """The pairs of places whose colours these eyes can hardly tell apart, as thin lines."""
    seen = np.array([_lab(one, eyes) for one in colours]).reshape(-1, 3)
    apart = np.linalg.norm(seen[:, None] - seen[None], axis=-1)
    return [(int(a), int(b)) for a, b in zip(*np.nonzero(np.triu(apart < _ALIKE, 1)), strict=True)]
