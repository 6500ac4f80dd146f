"""Stages by days."""

from embalse.core.crop.stages import stage_on, stage_spans

LENGTHS: dict[str, float | None] = {"initial": 30, "development": 40, "mid": 45, "late": 30}


def test_stages_by_days() -> None:
    assert [stage_on(d, 0, LENGTHS) for d in (-1, 0, 29, 30, 114, 115, 300)] == [
        None, "initial", "initial", "development", "mid", "late", "late",
    ]  # fmt: skip
    assert stage_on(10, None, LENGTHS) is None and stage_on(10, 0, {**LENGTHS, "mid": None}) is None
    assert stage_spans(10, LENGTHS)[1] == ("development", 40, 80)
