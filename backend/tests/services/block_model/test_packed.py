"""Kept arrays come back as they were, and are read one at a time whatever asks for them."""

import io
import threading
import time
import zlib
from typing import Any

import numpy as np
import pytest

from embalse.services.block_model.packed import unpacked


def packed(**arrays: Any) -> bytes:
    stream = io.BytesIO()
    np.savez(stream, **arrays)
    return zlib.compress(stream.getvalue())


def test_arrays_come_back_as_they_were() -> None:
    found = unpacked(packed(lost=np.arange(6, dtype=np.int16).reshape(2, 3), numbers=np.array([1.5])))
    assert found["lost"].tolist() == [[0, 1, 2], [3, 4, 5]] and found["numbers"].tolist() == [1.5]
    with pytest.raises(zlib.error):
        unpacked(b"damaged")


def test_one_is_read_at_a_time(monkeypatch: pytest.MonkeyPatch) -> None:
    body, load = packed(numbers=np.arange(3.0)), np.load
    reading, most = 0, 0

    def slow(stream: io.BytesIO) -> Any:
        nonlocal reading, most
        reading += 1
        most = max(most, reading)
        time.sleep(0.01)
        reading -= 1
        return load(stream)

    monkeypatch.setattr(np, "load", slow)
    threads = [threading.Thread(target=unpacked, args=(body,)) for _ in range(6)]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    assert most == 1
