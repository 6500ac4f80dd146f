"""Plantings of a block as stored, and the block's row as the planting in the ground makes it."""

import json
from dataclasses import replace
from datetime import date
from typing import Any

from embalse.core.season.plantings import Harvest, Planting, check_plantings, planting_on
from embalse.services import times
from embalse.services.load.in_force import CUT, Moment, in_force, known_at
from embalse.store.rows import BlockRow, FarmRows


def plantings_of(row: BlockRow, rows: FarmRows, at: Moment) -> list[Planting]:
    """A block's plantings known at an instant [s, UTC], in order, those to come too; its own crop where none is."""
    found = [b for b in (json.loads(r.body) for r in rows.chosen if r.kind == "plantings" and r.subject == row.key)]
    cut = [b for b in (json.loads(r.body) for r in rows.chosen if r.kind == "harvests" and r.subject == row.key)]
    harvests = _harvests(cut, at)
    told = [
        Planting(
            b["key"], b["crop"], _day(b["valid_from"]), b["variety"], b["purpose"], b["crop_values"],
            b["root_depth_cm"], b["allowable_depletion_fraction"], b["yield_aim_t_ha"],
        )
        for b in known_at(found, at)
    ]  # fmt: skip
    own = None if row.planting_date is None else times.day_number(date.fromisoformat(row.planting_date))
    first = min((p.first_day for p in told), default=None)
    if own is not None and (first is None or own < first):
        told.insert(0, Planting("", row.crop, own, row.variety, "", json.loads(row.crop_values)))
    ordered = sorted(told, key=lambda p: p.first_day)
    return [replace(p, harvests=_of(p, ordered, harvests)) for p in ordered]


def _harvests(bodies: list[dict[str, Any]], at: Moment) -> list[Harvest]:
    return [
        Harvest(_day(b["valid_from"]), b["kind"], b["yield_t_ha"], b["ends"], b["key"]) for b in in_force(bodies, at)
    ]


def check_planted(row: BlockRow, rows: FarmRows, at: Moment) -> None:
    """Refuse plantings and harvests of a block that cannot be, as known at an instant [s, UTC]; raises CoreError."""
    cut = [b for b in (json.loads(r.body) for r in rows.chosen if r.kind == "harvests" and r.subject == row.key)]
    check_plantings(plantings_of(row, rows, at), _harvests(cut, at))


def _day(text: str) -> int:
    return times.day_number(date.fromisoformat(text))


def _of(planting: Planting, all_of_them: list[Planting], harvests: list[Harvest]) -> tuple[Harvest, ...]:
    """Harvests from a planting's first day up to the next one's."""
    later = min((p.first_day for p in all_of_them if p.first_day > planting.first_day), default=10**9)
    return tuple(h for h in sorted(harvests, key=lambda h: h.day) if planting.first_day <= h.day < later)


BARE = ""
"""The crop of bare ground: nothing grows, so nothing is advised."""


def as_planted(row: BlockRow, rows: FarmRows, at: Moment) -> BlockRow:
    """A block's row with the crop of the planting in the ground at an instant [s, UTC].

    Without plantings on record the row stays as it is; after the harvest that ended the last one the ground is bare.
    """
    if not any(r.subject == row.key and r.kind in ("plantings", "harvests") for r in rows.chosen):
        return row
    today = times.local_day(*at)
    there = planting_on(plantings_of(row, rows, at), today)
    if there is None:
        bare = replace(row, crop=BARE, variety="", planting_date=None, crop_values="{}", full_root_date=None)
        return replace(bare, root_depth_cm=None, root_depth_start_cm=None, allowable_depletion_fraction=None)
    start = there.starts_on(today)
    started = times.day_of(start).isoformat()
    values = json.loads(row.crop_values) if there.key == "" else dict(there.values)
    if start != there.first_day:
        values |= {CUT: 1}
    if there.key == "":
        return replace(row, planting_date=started, crop_values=json.dumps(values))
    return replace(
        row,
        crop=there.crop,
        variety=there.variety,
        planting_date=started,
        crop_values=json.dumps(values),
        root_depth_cm=there.root_depth_cm,
        root_depth_start_cm=None,
        full_root_date=None,
        allowable_depletion_fraction=there.allowable_fraction,
    )
