"""NumPy arrays without pickles, and canSAS 1-D XML: small structured formats."""

from __future__ import annotations

import io
import warnings
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.errors import InputError
from curvesieve.core.formats.archives import checked_zip
from curvesieve.core.formats.table import Table, from_channels
from curvesieve.core.formats.text import MAX_CHANNELS
from curvesieve.core.record import Source


def recognises_numpy(content: bytes) -> bool:
    """Whether a file with these first bytes is one of NumPy."""
    return content.startswith(b"\x93NUMPY") or (content.startswith(b"PK\x03\x04") and b".npy" in content[:300])


def read_numpy(source: Source) -> list[Table]:
    """A .npy array (columns, or named fields) is one table; so are the 1-D arrays of a .npz together.

    Parts of a .npz that are no arrays of numbers are told in the notes of its first table.
    Raises InputError when it holds no numbers, or is damaged.
    """
    try:
        if source.held.startswith(b"PK"):
            checked_zip(source)
        with warnings.catch_warnings():  # NumPy tells of an old header on standard error, where nobody sees it
            warnings.simplefilter("ignore")
            loaded = np.load(io.BytesIO(source.held), allow_pickle=False)
            parts = {name: _part(loaded, name) for name in loaded.files} if hasattr(loaded, "files") else {"": loaded}
    except InputError:
        raise
    except Exception as error:  # NumPy and zipfile raise many kinds for a damaged file
        raise InputError(f"{source.name} cannot be read as NumPy arrays without pickles ({error}).") from error
    arrays = {name: part for name, part in parts.items() if isinstance(part, np.ndarray)}
    unread = {name: part for name, part in parts.items() if not isinstance(part, np.ndarray)}
    made: list[tuple[str, str, list[tuple[str, str, Any]]]] = []
    flat = {name: array for name, array in arrays.items() if array.ndim == 1 and array.dtype.kind in "iuf"}
    if len(flat) > 1 and len({array.size for array in flat.values()}) == 1:
        made.append(("npz", "", [(n, "", a.astype(np.float64)) for n, a in flat.items()]))
        arrays = {name: array for name, array in arrays.items() if name not in flat}
    for name, array in arrays.items():
        channels = _columns(array)
        if channels:
            made.append(("npz" if name else "npy", name if len(arrays) > 1 else "", channels))
        else:
            unread[name] = f"{array.dtype} of shape {array.shape}"
    if not made:
        raise InputError(f"{source.name} holds no array of numbers in columns.")
    notes = [f"{name} is not read: {why}" for name, why in unread.items()]
    return [from_channels(source, *one, notes=notes if one is made[0] else ()) for one in made]


def _part(loaded: Any, name: str) -> NDArray[Any] | str:
    """A member of a .npz, or why it is no array that can be read."""
    try:
        found = loaded[name]
    except ValueError as error:
        return str(error)
    return found if isinstance(found, np.ndarray) else "no array"


def _columns(array: Any) -> list[tuple[str, str, Any]]:
    if array.dtype.names:
        return [(n, "", array[n].astype(np.float64)) for n in array.dtype.names if array[n].dtype.kind in "iuf"]
    if array.dtype.kind not in "iuf" or array.ndim not in (1, 2) or not array.size:
        return []
    columns = array.reshape(-1, 1) if array.ndim == 1 else array
    if columns.shape[1] > columns.shape[0] and columns.shape[0] <= 10:
        columns = columns.T  # a few long rows are channels, too
    if columns.shape[1] > MAX_CHANNELS:
        return []
    return [(f"column {i + 1}", "", columns[:, i].astype(np.float64)) for i in range(columns.shape[1])]


def recognises_xml(content: bytes) -> bool:
    """Whether a file with these first bytes is canSAS XML."""
    return content.lstrip(b"\xef\xbb\xbf \r\n\t").startswith(b"<") and b"SASroot" in content[:4000]


def read_cansas(source: Source) -> list[Table]:
    """The SASdata of a canSAS 1-D XML file, parsed without entities or outside references.

    Raises InputError when it holds no table, or is damaged.
    """
    from defusedxml import DefusedXmlException, ElementTree

    try:
        root = ElementTree.fromstring(source.held, forbid_dtd=True)
    except DefusedXmlException as error:
        raise InputError(f"{source.name} holds XML entities or a DTD, which are not read.") from error
    except ElementTree.ParseError as error:
        raise InputError(f"{source.name} is damaged XML ({error}).") from error
    tables = []
    datasets = [element for element in root.iter() if _tag(element) == "SASdata"]
    for dataset in datasets:
        columns: dict[str, list[float]] = {}
        unit: dict[str, str] = {}
        points = [element for element in dataset if _tag(element) == "Idata"]
        for i, point in enumerate(points):
            for value in point:
                try:
                    columns.setdefault(_tag(value), [float("nan")] * len(points))[i] = float(value.text or "nan")
                except ValueError:
                    raise InputError(f"{source.name}: point {i + 1} has {value.text!r} for {_tag(value)}.") from None
                unit.setdefault(_tag(value), value.get("unit", ""))
        if columns:
            title = dataset.get("name", "") if len(datasets) > 1 else ""
            channels = [(name, unit[name], np.array(values)) for name, values in columns.items()]
            tables.append(from_channels(source, "cansas-xml", title, channels))
    if not tables:
        raise InputError(f"{source.name} is canSAS XML without data points.")
    return tables


def _tag(element: Any) -> str:
    return str(element.tag).rsplit("}", 1)[-1]
