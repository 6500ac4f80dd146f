"""The water side of the demonstration: rules of its supplies, parts of blocks, people's hours, last nights' sets."""

from datetime import datetime, timedelta
from typing import Any, Final
from zoneinfo import ZoneInfo

from embalse.standins.demo_farm import END, Season
from embalse.standins.demo_histories import degrees

Document = dict[str, Any]
ZONE: Final = ZoneInfo("Europe/Madrid")
SINCE: Final = datetime(2026, 7, 6, tzinfo=ZONE)
"""From when on sets were approved in Embalse; before that they were typed in afterwards."""
VALVES: Final = {"N1": 255.0, "N2": 225.0, "B-west": 269.0, "B-east": 269.0}
"""Valves of the north well's controller and the flow each takes [m³/h]."""
SUPPLY_OF: Final = {"norte-1": "pozo", "norte-2": "pozo", "bajo": "pozo", "ladera": "balsa", "olivar": "balsa"}
VALVE_OF: Final = {"norte-1": "N1", "norte-2": "N2", "bajo": "B-west"}
AREA_HA: Final = {"norte-1": 18.0, "norte-2": 16.0, "bajo": 22.0, "ladera": 14.0, "olivar": 36.0, "circulo": 48.0}
BAJO_SHORT: Final = ("2026-07-12", 10.25)
"""The night Bajo's set lost its pressure, and the hours it was planned for."""
NORTE_2_FAILED: Final = "2026-07-13"
WHO: Final = "Inés"
METER_BEFORE_M3: Final = 412_360.0
METER_MORE: Final = 1.02
"""What the north well's meter showed before the season, and how much more it counts than the sets add up to."""


def water_parts(season: Season) -> Document:
    """Everything of the water side as parts of the farm document."""
    return {
        "water_rules": _rules(),
        "block_shifts": _shifts(),
        "block_zones": [_zones()],
        "work_hours": _people(),
        "meter_readings": _meter(season),
        "set_groups": [
            {"key": "almonds", "name": "Almonds by the north well", "blocks": ["norte-1", "norte-2"], "start": "20:30",
             "minutes": 300.0, "delay_min": 1.0, "note": "the old programme of both"}
        ],
    }  # fmt: skip


def _meter(season: Season) -> list[Document]:
    """The north well's meter as it was read on the first of each month: 2 % more than the sets add up to."""
    found = []
    for month in range(3, 8):
        at = datetime(2026, month, 1, 8, tzinfo=ZONE)
        given = sum(
            s["gross_mm"] * 10 * AREA_HA[s["block"]]
            for s in season.sets
            if SUPPLY_OF.get(s["block"]) == "pozo" and datetime.fromisoformat(s["start"]) < at
        )
        found.append({"key": f"pozo-{at:%Y%m}", "supply": "pozo", "at": f"{at:%Y-%m-%dT%H:%M}",
                      "meter_m3": round(METER_BEFORE_M3 + METER_MORE * given, 1), "who": WHO})  # fmt: skip
    return found


def _rules() -> list[Document]:
    week = ["mon", "tue", "wed", "thu", "fri"]
    dear = [
        {"start": "10:00", "end": "14:00", "price": 0.21, "per": "kwh", "days": week, "name": "midday"},
        {"start": "18:00", "end": "22:00", "price": 0.24, "per": "kwh", "days": week, "name": "evening"},
    ]
    rest = [
        {"start": "00:00", "end": "10:00", "price": 0.09, "per": "kwh", "days": week, "name": "early"},
        {"start": "14:00", "end": "18:00", "price": 0.13, "per": "kwh", "days": week, "name": "afternoon"},
        {"start": "22:00", "end": "00:00", "price": 0.09, "per": "kwh", "days": week, "name": "night"},
        {"start": "00:00", "end": "00:00", "price": 0.09, "per": "kwh", "days": ["sat", "sun"], "name": "weekend"},
    ]
    return [
        {"key": "pozo-2026", "supply": "pozo", "valid_from": "2026-03-01", "kind": "well", "flow_m3_h": 270.0,
         "least_flow_m3_h": 60.0, "tariffs": [*dear, *rest], "ec_ds_m": 1.1, "who": WHO,
         "energy": {"lift_m": 62.0, "pressure_bar": 2.4, "efficiency_fraction": 0.66},
         "season": {"volume_m3": 480_000.0, "first": "2026-03-01", "last": "2026-10-31"},
         "note": "meter read on the first of each month"},
        {"key": "balsa-2026", "supply": "balsa", "valid_from": "2026-03-01", "kind": "reservoir", "flow_m3_h": 900.0,
         "energy": {"kwh_m3": 0.11}, "tariffs": [*dear, *rest], "ec_ds_m": 0.8, "who": WHO, "note": ""},
        {"key": "rio-2026-07", "supply": "rio", "valid_from": "2026-07-01", "kind": "canal turn", "flow_m3_h": 150.0,
         "turns": [{"start": "2026-07-12T18:00", "end": "2026-07-17T18:00"},
                   {"start": "2026-07-19T06:00", "end": "2026-07-24T06:00"},
                   {"start": "2026-07-28T06:00", "end": "2026-08-02T06:00"}],
         "who": WHO, "note": "turns as the canal office gave them in June"},
    ]  # fmt: skip


def _zones() -> dict[str, Any]:
    """Loma in two: its shoulder dries sooner, and has a valve of its own."""
    ring = [degrees(p) for p in [(730, 1060), (860, 1060), (860, 1300), (730, 1300)]]
    return {
        "key": "zones-loma-1", "block": "loma", "valid_from": "2026-07-01", "entered": "2026-07-01T09:00",
        "note": "the shoulder dries sooner", "zones": [
            {"name": "shoulder", "rings": [ring], "shift": "shoulder"},
            {"name": "lower slope", "shift": "lower lines"},
        ],
    }  # fmt: skip


def _shifts() -> list[Document]:
    def of(block: str, shifts: list[Document], **more: Any) -> Document:
        return {"key": f"{block}-parts", "block": block, "valid_from": "2026-03-01", "shifts": shifts, "who": WHO,
                **more}  # fmt: skip

    return [
        of("norte-1", [{"name": "all", "area_ha": 18.0, "valve": "N1", "tag": "yellow tag"}], fill_min=5.0),
        of("norte-2", [{"name": "all", "area_ha": 16.0, "valve": "N2", "tag": "blue tag"}], fill_min=5.0),
        of("bajo", [{"name": "west half", "area_ha": 11.0, "valve": "B-west", "tag": "gate by the road"},
                    {"name": "east half", "area_ha": 11.0, "valve": "B-east", "tag": "gate by the ditch"}]),
        of("ladera", [{"name": "all", "area_ha": 14.0, "tag": "valve L, upper shed"}], by_hand=True),
        of("loma", [{"name": "lower lines", "area_ha": 4.1, "valve": "H1", "tag": "valve by the track"},
                    {"name": "shoulder", "area_ha": 3.1, "valve": "H2", "tag": "valve at the top of the hill"}]),
        of("vega", [{"name": "all", "area_ha": 27.0, "tag": "gates 1 to 17"}], by_hand=True, move_min=15.0),
        of("circulo", [{"name": "all", "area_ha": 48.0, "tag": "panel at the pivot point"}],
           position_deg=205.0, turn_until="2026-07-15T09:12", note="turn running at 25 %"),
    ]  # fmt: skip


def _people() -> list[Document]:
    week = ["mon", "tue", "wed", "thu", "fri", "sat"]
    return [
        {"key": "tomas-2026", "person": "Tomás", "valid_from": "2026-03-01", "note": "lives on the farm", "who": WHO,
         "hours": [{"days": week, "start": "06:00", "end": "14:00"}, {"days": week, "start": "19:30", "end": "21:30"}]},
        {"key": "ines-2026", "person": WHO, "valid_from": "2026-03-01", "note": "", "who": WHO,
         "hours": [{"days": week[:5], "start": "08:00", "end": "18:00"}]},
    ]  # fmt: skip


def last_nights(season: Season) -> list[tuple[datetime, Document]]:
    """Sets of the last nights as they were approved, then as they ran: documents with the moment each became known."""
    planned, evidence = _nights(season)
    found: list[tuple[datetime, Document]] = []
    for one in planned:
        approved = {**one, "events": one["events"][:1]}
        approved.pop("logged", None)
        found.append((datetime.fromisoformat(one["events"][0]["at"]), {"embalse": 1, "planned_sets": [approved]}))
        told = [e for e in evidence if e["planned"] == one["key"]]
        last = datetime.fromisoformat(one["events"][-1]["at"])
        found.append((last, {"embalse": 1, "planned_sets": [one], "set_evidence": told}))
    return sorted(found, key=lambda pair: pair[0])


def _nights(season: Season) -> tuple[list[Document], list[Document]]:
    """Sets of the last nights as they ended, and what is known of how they ran."""
    planned, evidence = [], []
    for one in season.sets:
        start = datetime.fromisoformat(one["start"]).astimezone(ZONE)
        if start < SINCE or (one["block"] not in SUPPLY_OF and one["block"] != "circulo"):
            continue
        made, told = _night(one, start)
        planned.append(made)
        evidence += told
    start = datetime.fromisoformat(f"{NORTE_2_FAILED}T21:00").replace(tzinfo=ZONE)
    failed = _planned("norte-2", start, (5.0, 225.0), "failed")
    failed["events"][-1]["note"] = "the valve did not open"
    stuck = _evidence("norte-2", failed["key"], "controller")
    evidence.append({**stuck, "failed": True, "note": "the valve did not open"})
    return [*planned, failed], evidence


def _night(one: Document, start: datetime) -> tuple[Document, list[Document]]:
    block, hours = one["block"], float(one["hours"])
    flow = 10 * AREA_HA[block] * float(one["gross_mm"]) / hours
    end = start + timedelta(hours=hours)
    short = block == "bajo" and start.date().isoformat() == BAJO_SHORT[0]
    state = "running" if end > END else "cut short" if short else "done"
    made = _planned(block, start, (BAJO_SHORT[1] if short else hours, flow), state)
    by_valve = block in VALVE_OF
    told = _evidence(block, made["key"], "controller" if by_valve else "phone")
    told["start"] = start.isoformat()
    if state != "running":
        told["end"] = end.isoformat()
        made["logged"] = start.isoformat()
        if by_valve:
            told["volume_m3"] = round(flow * hours, 1)
    if short:
        lost = end.isoformat()
        told |= {"no_pressure": lost, "note": "pressure switch"}
        made["events"][-1]["note"] = f"No pressure from {end:%H:%M}."
    return made, [told]


def _planned(block: str, start: datetime, of: tuple[float, float], state: str) -> Document:
    hours, flow = of
    gross = flow * hours / (10 * AREA_HA[block])
    day = start.replace(hour=7, minute=10)
    end = start + timedelta(hours=hours)
    events = [{"at": day.isoformat(), "state": "approved", "by": WHO}]
    if state != "failed":
        events.append({"at": start.isoformat(), "state": "running", "by": ""})
    if state != "running":
        events.append({"at": min(end, END.astimezone(ZONE)).isoformat(), "state": state, "by": ""})
    return {
        "key": f"{block}-{start:%Y%m%d-%H%M}", "block": block, "supply": SUPPLY_OF.get(block, "rio"),
        "valve": VALVE_OF.get(block, ""), "start": start.isoformat(), "end": end.isoformat(), "flow_m3_h": flow,
        "area_ha": AREA_HA[block], "net_mm": round(0.9 * gross, 1), "gross_mm": round(gross, 2),
        "why": "As planned that morning.", "events": events,
    }  # fmt: skip


def _evidence(block: str, planned: str, kind: str) -> Document:
    return {"key": f"{planned}:{kind}", "block": block, "planned": planned, "kind": kind, "who": ""}
