"""Sensors and stations to go and see, with why."""

import json
from collections.abc import Mapping, Sequence
from datetime import date

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.advice.ranking import VisitReason, visit_order, visit_reasons
from embalse.core.install.logger_memory import memory_state
from embalse.core.install.take_out import take_out
from embalse.core.install.walking import walk_round
from embalse.core.practice import practice
from embalse.core.wording import Notice, from_json
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.harvest import harvest_day
from embalse.services.load.in_force import in_force
from embalse.services.load.schemas import VisitLine
from embalse.services.reader import say
from embalse.store import faults as fault_store
from embalse.store import gateways as gateway_store
from embalse.store import records as record_store
from embalse.store.rows import FarmRows


def visit_list(analyses: Sequence[BlockAnalysis], rows: FarmRows, now: int) -> tuple[list[VisitLine], float]:
    """What to go and see, the most urgent blocks first, each with its place on the way round; its length [m]."""
    groups = {a.block.key: a.advice.group for a in analyses}
    names = {f"{b.key}/{s.key}": f"{b.name}, {s.name}" for b in rows.blocks for s in rows.stations.get(b.id, [])}
    refs = {s.id: f"{b.key}/{s.key}" for b in rows.blocks for s in rows.stations.get(b.id, [])}
    reasons = visit_reasons(analyses) + [
        VisitReason(refs[s.station_id], "", from_json(s.words), 1, groups[refs[s.station_id].split("/")[0]])
        for s in fault_store.suspicions()
        if s.station_id in refs and s.verdict != "overruled" and s.last_at <= now
    ]
    reasons += _low_batteries(groups)
    reasons += _memories(groups, now)
    reasons += _to_take_out(analyses, groups, now)
    asked = [r for r in visit_order(reasons) if r.station in names]
    places = {
        f"{b.key}/{s.key}": (s.longitude, s.latitude)
        for b in rows.blocks
        for s in rows.stations.get(b.id, [])
        if s.longitude is not None and s.latitude is not None
    }
    placed = [station for station in dict.fromkeys(r.station for r in asked) if station in places]
    walk = walk_round([places[station] for station in placed])
    nth = {placed[index]: n for n, index in enumerate(walk.order, 1)}
    lines = [
        VisitLine(
            station=r.station,
            sensor=r.sensor,
            name=names[r.station],
            why=say(r.why),
            by_hand=r.by_hand,
            silent=r.severity == 0 and not r.by_hand,
            walk=nth.get(r.station),
        )
        for r in asked
    ]
    return lines, walk.length_m


def _memories(groups: Mapping[str, str], now: int) -> list[VisitReason]:
    """Loggers read out by hand whose memory is nearly full, or full."""
    zone = clock.the_farm().time_zone
    held = in_force([json.loads(r.body) for r in record_store.records("logger_memories")], (now, zone))
    found = []
    for body in {b["station"]: b for b in held}.values():
        read_out = times.day_number(date.fromisoformat(body["read_out"]))
        told = memory_state(read_out, body["holds"], body["every_min"], times.local_day(now, zone))
        if told.due:
            group = groups.get(body["station"].split("/")[0], "leave")
            found.append(VisitReason(body["station"], "", told.words, 2, group))
    return found


def _to_take_out(analyses: Sequence[BlockAnalysis], groups: Mapping[str, str], now: int) -> list[VisitReason]:
    """Stations that come out of the ground within two weeks, or should be out."""
    today = times.local_day(now, clock.the_farm().time_zone)
    found = []
    for block in (a.block for a in analyses):
        told = take_out(block.crop, harvest_day(block), today)
        if told.state in ("soon", "past"):
            found += [
                VisitReason(f"{block.key}/{s.key}", "", told.words, 3, groups[block.key])
                for s in block.stations
                if not s.borrowed_from
            ]
    return found


def _low_batteries(groups: Mapping[str, str]) -> list[VisitReason]:
    """Gateways whose battery is low, at the first station they send for."""
    low = practice("battery_low_v")
    found = []
    for gateway in gateway_store.gateways():
        stations = gateway_store.stations_of(gateway)
        if gateway.revoked_at is None and gateway.battery_v is not None and gateway.battery_v < low and stations:
            group = groups.get(stations[0].split("/")[0], "leave")
            why = Notice("visit.battery", name=gateway.name, battery_v=gateway.battery_v, low_v=low)
            found.append(VisitReason(stations[0], "", why, 3, group))
    return found
