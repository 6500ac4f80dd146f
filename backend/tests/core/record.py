"""Records of what the core says, kept beside the tests: they hold no truth, they hold it still."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from embalse.core.wording import Notice, text


def plain(value: Any) -> Any:
    """A value as JSON has it, figures to six places that count."""
    if isinstance(value, Notice):
        return text(value)
    if hasattr(value, "__dataclass_fields__"):
        return {name: plain(getattr(value, name)) for name in value.__dataclass_fields__}
    if isinstance(value, dict):
        return {str(k): plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple | np.ndarray):
        return [plain(v) for v in value]
    if isinstance(value, float | np.floating):
        return float(f"{float(value):.6g}")
    return int(value) if isinstance(value, np.integer) else value


def differences(one: Any, other: Any, where: str = "") -> list[str]:
    """Where two records differ, figures compared to one in a hundred thousand."""
    if isinstance(one, dict) and isinstance(other, dict):
        keys = sorted({*one, *other})
        return [d for k in keys for d in differences(one.get(k), other.get(k), f"{where}/{k}")]
    if isinstance(one, list) and isinstance(other, list) and len(one) == len(other):
        return [d for n, pair in enumerate(zip(one, other, strict=True)) for d in differences(*pair, f"{where}/{n}")]
    if isinstance(one, float | int) and isinstance(other, float | int):
        same = one == pytest.approx(other, rel=1e-5, abs=1e-9, nan_ok=True)
        return [] if same else [f"{where}: {one} is now {other}"]
    return [] if one == other else [f"{where}: {one!r} is now {other!r}"]


def read(path: Path) -> dict[str, Any]:
    """A record that was written."""
    return json.loads(path.read_text(encoding="utf-8"))  # type: ignore[no-any-return]


def write(path: Path, parts: dict[str, dict[str, Any]]) -> None:
    """Write a record anew, one entry a line."""
    texts = [
        f"{json.dumps(part)}: {{\n"
        + ",\n".join(f"{json.dumps(k)}: {json.dumps(v, ensure_ascii=False)}" for k, v in said.items())
        for part, said in parts.items()
    ]
    path.write_text("{" + "\n},\n".join(texts) + "\n}}\n", encoding="utf-8")
