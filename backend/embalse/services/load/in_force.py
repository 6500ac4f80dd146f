"""What people picked for a block's soil: curves of tension and marks, as they were known at a moment."""

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from functools import lru_cache
from typing import Any

from embalse.core.crop.crop_library import cutting_kc, library_crop
from embalse.core.crop.stage_names import StageName, stage_named
from embalse.core.crop.stages import STAGES, CropCalendar, degree_days, mulched_kc, stage_lengths_from_heat, stage_on
from embalse.core.delivery.irrigation_rules import NO_RULES, BlockRules, DryWindow, Order
from embalse.core.soil.horizon_marks import Horizon, MarkEntry
from embalse.core.soil.mark_choices import MarkChoice, Marked, check_marked, marked
from embalse.core.soil.retention import (
    RetentionCurve,
    class_curve,
    class_parameters,
    equation_curve,
    fitted_curve,
    pairs_curve,
)
from embalse.core.soil.soil import FineEarth, texture_class
from embalse.core.sources import Source
from embalse.core.weather.rain_by_hand import RainNote
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.schema.auditing import AuditRulesPart, SetChoicePart
from embalse.services.schema.deciding import BlockRulesPart, DryWindowPart, OrderPart
from embalse.store import readings as readings_store
from embalse.store.rows import BlockRow, FarmRows, HorizonRow

Body = dict[str, Any]
KC_FROM = "Kc of FAO-56 Table 12"
CUT = "cut"
"""Among the values of a crop: it was cut since its planting, so that Kc goes by the cutting."""
Moment = tuple[float, str]
"""An instant [s, UTC] and the farm's time zone."""


def block_marks(row: BlockRow, rows: FarmRows, at: Moment, stage: str | None) -> Marked:
    """A block's soil with the curves and marks picked for it, as known at an instant [s, UTC].

    Whether the marks are in order is looked at where they are used: one block's trouble is not the farm's.
    """
    horizons = soil_horizons(row.soil_id, rows, at)
    return marked(horizons, [choice_of(body) for body in choices_in_force(row.key, rows, at)], stage)


def soil_horizons(soil_id: int, rows: FarmRows, at: Moment) -> tuple[Horizon, ...]:
    """Horizons of a soil with the curves picked for them, as known at an instant [s, UTC]."""
    key = rows.soil_keys.get(soil_id, "")
    found = [_horizon(h) for h in rows.horizons.get(soil_id, [])]
    for body in in_force(_bodies(rows, "retention_curves", "soil", key), at):
        found = [
            replace(h, retention=curve_of(body, h)) if (h.top_cm, h.bottom_cm) == (body["top_cm"], body["bottom_cm"])
            else h
            for h in found
        ]  # fmt: skip
    return tuple(found)


def choices_in_force(block: str, rows: FarmRows, at: Moment) -> list[Body]:
    """Marks picked for a block that hold at an instant [s, UTC], the latest last."""
    return in_force(_bodies(rows, "mark_choices", "block", block), at)


def _bodies(rows: FarmRows, kind: str, field: str, key: str) -> Iterator[Body]:
    for record in rows.chosen:
        if record.kind == kind and record.subject == key:
            body = json.loads(record.body)
            if body[field] == key:
                yield body


def in_force(bodies: Iterator[Body] | Sequence[Body], at: Moment) -> list[Body]:
    """Records with ``valid_from``, ``entered`` and ``withdrawn`` that held at an instant [s, UTC], the latest last."""
    today = times.local_day(*at)
    return [b for b in known_at(bodies, at) if times.day_number(date.fromisoformat(b["valid_from"])) <= today]


def known_at(bodies: Iterator[Body] | Sequence[Body], at: Moment) -> list[Body]:
    """Records known at an instant [s, UTC] and not withdrawn, those that begin later too, by their first day."""
    now, zone = at

    def instant(text: str | None, missing: float) -> float:
        return missing if text is None else times.epoch(datetime.fromisoformat(text), zone)

    def first_day(body: Body) -> int:
        return times.day_number(date.fromisoformat(body["valid_from"]))

    known = [b for b in bodies if instant(b["entered"], -1e18) <= now < instant(b["withdrawn"], 1e18)]
    return sorted(known, key=lambda body: (first_day(body), instant(body["entered"], -1e18)))


def check_order(row: BlockRow, rows: FarmRows, at: Moment) -> None:
    """Refuse marks of a block that do not stand in order, in any stage; raises CoreError."""
    for stage in (None, *STAGES):
        check_marked(block_marks(row, rows, at, stage))


def choice_of(body: Body) -> MarkChoice:
    """A record of the kind ``mark_choices`` as the core knows it."""
    span = None if body["top_cm"] is None else (body["top_cm"], body["bottom_cm"])
    words = f"{body['estimator']}: {body['note']}" if body["estimator"] else body["note"]
    said = f"{words} ({body['who']})" if body["who"] else words
    return MarkChoice(body["mark"], body["how"], body["value"], said, span, body["stage"])


def curve_of(body: Body, horizon: Horizon) -> RetentionCurve:
    """The curve a record of the kind ``retention_curves`` picks for a horizon.

    Raises
    ------
    RetentionError
        If its points make no curve.
    """
    points = tuple((p[0], p[1]) for p in body["points"])
    return _curve(body["kind"], points, horizon.earth, horizon.stones_fraction)


@lru_cache(maxsize=256)
def _curve(
    kind: str, points: tuple[tuple[float, float], ...], earth: FineEarth, stones_fraction: float
) -> RetentionCurve:
    if kind == "equation":
        return equation_curve(earth, stones_fraction)
    if kind == "class":
        return class_curve(earth.sand_fraction, earth.clay_fraction, stones_fraction)
    start = class_parameters()[texture_class(earth.sand_fraction, earth.clay_fraction)]
    return fitted_curve(points, "points", start) if kind == "points" else pairs_curve(points, start)


def block_rules(row: BlockRow, rows: FarmRows, at: Moment, stage: str | None) -> BlockRules:
    """A block's rules in force at an instant [s, UTC]: the latest of its stage, else the latest of all stages.

    Rules for a stage by the trade's name hold from the day it was seen until the next one is. Those for the variety in
    the ground come before those for all varieties, stage by stage; those for another one do not hold.
    """
    found = in_force(_bodies(rows, "block_rules", "block", row.key), at)
    seen = [name.name for name, _ in stages_seen(row, rows, at)][-1:]
    wanted = [(s or "", v) for s in (*seen, stage, "") for v in dict.fromkeys((row.variety, ""))]
    mine = next((m for w in wanted if (m := [b for b in found if (b["stage"], b.get("variety", "")) == w])), [])
    return BlockRulesPart.model_validate(mine[-1]).rules() if mine else NO_RULES


def set_choices(block: str, rows: FarmRows, at: Moment) -> dict[str, SetChoicePart]:
    """What was picked for a block from the audit of its sets, as it holds at an instant [s, UTC], by what it is."""
    found = in_force(_bodies(rows, "set_choices", "block", block), at)
    return {body["what"]: SetChoicePart.model_validate(body) for body in found}


def audit_rules(block: str, rows: FarmRows, at: Moment) -> AuditRulesPart | None:
    """How a block's sets are audited, as it holds at an instant [s, UTC]; None where nothing was entered."""
    found = in_force(_bodies(rows, "audit_rules", "block", block), at)
    return AuditRulesPart.model_validate(found[-1]) if found else None


def block_windows(row: BlockRow, rows: FarmRows, at: Moment) -> tuple[DryWindow, ...]:
    """Dry windows of a block known at an instant [s, UTC] and not over, by their first day."""
    today = times.local_day(*at)
    parts = [DryWindowPart.model_validate(b) for b in in_force(_bodies(rows, "dry_windows", "block", row.key), at)]
    windows = [w for w in (p.window() for p in parts) if w.until >= today]
    return tuple(sorted(windows, key=lambda w: w.dry_by))


def cutting_days(row: BlockRow, rows: FarmRows, at: Moment) -> list[int]:
    """Day numbers on which a block is, or was, cut: of the cuttings entered by an instant [s, UTC]."""
    parts = [DryWindowPart.model_validate(b) for b in in_force(_bodies(rows, "dry_windows", "block", row.key), at)]
    return sorted(w.dry_by for w in (p.window() for p in parts) if w.what == "cutting")


def block_orders(row: BlockRow, rows: FarmRows, at: Moment) -> tuple[Order, ...]:
    """Orders given for a block that hold at an instant [s, UTC], the latest last."""
    today = times.local_day(*at)
    found = []
    for body in in_force(_bodies(rows, "orders", "block", row.key), at):
        part = OrderPart.model_validate(body)
        until = times.day_number(part.until)
        if until >= today:
            found.append(Order(part.action, until, part.note, part.who, part.net_mm, part.key, part.seen))
    return tuple(found)


def stages_seen(row: BlockRow, rows: FarmRows, at: Moment) -> list[tuple[StageName, int]]:
    """Stages seen in a block's crop by an instant [s, UTC], with the day number of each, in order."""
    found = []
    for body in in_force(_bodies(rows, "stages_seen", "block", row.key), at):
        name = stage_named(row.crop, body["stage"]) if body["crop"] == row.crop else None
        if name is not None:
            found.append((name, times.day_number(date.fromisoformat(body["valid_from"]))))
    return found


def rain_notes(block: str, rows: FarmRows, at: Moment) -> list[RainNote]:
    """Rain as a block had it, known at an instant [s, UTC]."""
    return [
        RainNote(times.day_number(date.fromisoformat(b["valid_from"])), b["gauge_mm"], b["wet_to_cm"])
        for b in in_force(_bodies(rows, "rain_notes", "block", block), at)
    ]


def unknown_depths(rows: FarmRows, at: Moment) -> frozenset[str]:
    """References of sensors whose depth nobody knows at an instant [s, UTC]: their last finding gave none."""
    bodies = [json.loads(r.body) for r in rows.chosen if r.kind == "sensor_findings"]
    latest = {body["sensor"]: body for body in in_force(bodies, at)}
    return frozenset(ref for ref, body in latest.items() if body["depth_cm"] is None)


def acceptance(block: str, station: str, rows: FarmRows, at: Moment) -> str:
    """Why a station of another block was accepted for a block, known at an instant [s, UTC]; empty where it was not."""
    found = in_force(_bodies(rows, "zone_acceptances", "block", block), at)
    return next((b["note"] for b in reversed(found) if b["station"] == station), "")


def block_stage(row: BlockRow, at: Moment, calendar: CropCalendar | None = None) -> str | None:
    """The stage of a block's crop at an instant [s, UTC], None where its calendar is not known."""
    today = times.local_day(*at)
    calendar = calendar or crop_calendar(row, today)
    if calendar is not None:
        return stage_on(today, calendar.first_day, dict(zip(STAGES, calendar.lengths_days, strict=True)))
    return stage_on(today, planting_day(row), stage_days(row, today)[0])


def planting_day(row: "BlockRow | _Planted") -> int | None:
    """Day number of planting or bud break, None where it is not entered."""
    return None if row.planting_date is None else times.day_number(date.fromisoformat(row.planting_date))


def stage_days(row: "BlockRow | _Planted", today: int | None = None) -> tuple[dict[str, float | None], Source]:
    """Length of each stage [days] of a block's crop, entered or from the library, and where they come from.

    Where the heat of each stage is entered, the lengths follow from the temperatures known before ``today``.
    """
    entered = json.loads(row.crop_values)
    library = library_crop(row.crop)
    if today is not None and all(f"{stage}_gdd" in entered for stage in STAGES):
        found = _by_heat(row, entered, today)
        if found is not None:
            return found
    days = {
        stage: entered.get(f"{stage}_days", library.value(f"{stage}_days") if library else None) for stage in STAGES
    }
    if any(f"{stage}_days" in entered for stage in STAGES):
        return days, Source("entry", "block set-up", "stage lengths, entered")
    return days, Source("table", "FAO-56 Table 11", "indicative lengths") if library else Source("assumption", "none")


def _by_heat(row: "BlockRow | _Planted", entered: Body, today: int) -> tuple[dict[str, float | None], Source] | None:
    planted = planting_day(row)
    if planted is None or today <= planted:
        return None
    base = float(entered.get("gdd_base_c", 10.0))
    known = readings_store.temperatures(planted, today - 1)
    if not known:
        return None
    heat = [degree_days(high, low, base) for _, high, low in known]
    mean = sum(heat) / len(heat)
    by_day = {day: h for (day, _, _), h in zip(known, heat, strict=True)}
    lengths = stage_lengths_from_heat(
        [by_day.get(d, mean) for d in range(planted, today)], [float(entered[f"{s}_gdd"]) for s in STAGES]
    )
    if lengths is None:
        return None
    missing = today - planted - len(known)
    heat_sum = {"base_c": base, "sum_c_d": sum(heat), "filled_days": missing or None}
    source = Source("computed", "growing-degree days", Notice("source.heat", **heat_sum))
    return dict(zip(STAGES, lengths, strict=True)), source


def crop_calendar(row: BlockRow, today: int) -> CropCalendar | None:
    """Kc of a block's crop through the season, from its entries or the library; None where something is missing."""
    if "_gdd" not in row.crop_values:
        return _fixed_calendar(row.crop, row.crop_values, row.planting_date)
    return _calendar(row, today)


@lru_cache(maxsize=1024)
def _fixed_calendar(crop: str, crop_values: str, planting_date: str | None) -> CropCalendar | None:
    """A calendar that does not hang on the weather: the same for every block planted alike."""
    return _calendar(_Planted(crop, crop_values, planting_date), 0)


@dataclass(frozen=True)
class _Planted:
    """What a calendar is made from."""

    crop: str
    crop_values: str
    planting_date: str | None


def _calendar(row: BlockRow | _Planted, today: int) -> CropCalendar | None:
    entered, library = json.loads(row.crop_values), library_crop(row.crop)
    kc = [entered.get(n, library.value(n) if library else None) for n in ("kc_ini", "kc_mid", "kc_end")]
    planted, (days, source) = planting_day(row), stage_days(row, today)
    lengths = [days[stage] for stage in STAGES]
    if planted is None or any(v is None for v in (*kc, *lengths)):
        return None
    within = cutting_kc(row.crop) if CUT in entered else None
    if within is not None:
        kc = [entered.get(n, v) for n, v in zip(("kc_ini", "kc_mid", "kc_end"), within, strict=True)]
    by_hand = any(n in entered for n in ("kc_ini", "kc_mid", "kc_end"))
    kc_from = "Kc entered" if by_hand else "Kc of FAO-56 Table 12, by the cutting" if within else KC_FROM
    told = Notice("source.calendar", kc=kc_from, title=source.title, detail=source.detail)
    kc[0] = mulched_kc(kc[0] or 0.0, float(entered.get("residue_cover_fraction", 0.0)))
    return CropCalendar(planted, tuple(lengths), tuple(kc), told)  # type: ignore[arg-type]


def _horizon(row: HorizonRow) -> Horizon:
    earth = FineEarth(row.sand_fraction, row.clay_fraction, row.organic_matter_pct, row.bulk_density_g_cm3)

    def entry(theta: float | None, reason: str | None) -> MarkEntry | None:
        return None if theta is None else MarkEntry(theta, reason or "")

    return Horizon(
        row.top_cm,
        row.bottom_cm,
        earth,
        row.stones_fraction,
        full=entry(row.full_theta, row.full_reason),
        refill=entry(row.refill_theta, row.refill_reason),
        wilting=entry(row.wilting_theta, row.wilting_reason),
        restricts_roots=bool(row.restricts_roots),
    )
