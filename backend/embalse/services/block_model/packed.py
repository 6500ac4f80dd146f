"""Arrays of a kept fit, back from their bytes."""

import io
import threading
import zlib

import numpy as np
from numpy.typing import NDArray

_reading = threading.Lock()
"""Held while arrays are read: their heads go through ``ast``, which CPython 3.11 cannot do in two threads at once."""


def unpacked(body: bytes) -> dict[str, NDArray[np.generic]]:
    """Arrays by name from a compressed ``npz``; raises what ``zlib``, ``zipfile`` and numpy raise for damaged bytes."""
    with _reading, np.load(io.BytesIO(zlib.decompress(body))) as parts:
        return {name: parts[name] for name in parts.files}
