"""The demonstration moved forward: its simulated loggers, manager and weather go on, through the public doors."""

import json
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from embalse.services import times
from embalse.services.acting.doing import ToldIn, told
from embalse.services.acting.evidence import ran_of
from embalse.services.acting.stepping import one_at_a_time, step
from embalse.services.advice.model_keeping import keep_models_now
from embalse.services.advice.mornings import keep_mornings
from embalse.services.audit.choosing import apply_corrections
from embalse.services.intake import telemetry
from embalse.services.load import clock
from embalse.services.planning.planned import PlannedSet, planned_sets
from embalse.services.readings import judging
from embalse.standins.browser import Browser
from embalse.standins.demo_farm import END, UTC_SHIFT_H, Season, Simulation, forecasts
from embalse.standins.demo_stories import BLOCKS
from embalse.standins.logger import LoggerStandIn, Sent
from embalse.standins.logger_files import column_name, raw_values
from embalse.standins.valve_process import ValveClock
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict

TOKENS = "tokens.json"
LONGEST_H = 168
DAY_S = 86400
LONGEST_SET_S = 10 * DAY_S
STAGGERED = 6
DROP_SHARE, REPEAT_SHARE = 0.2, 0.1


def make_gateways(folder: Path) -> None:
    """A gateway for each block of the demonstration; the tokens stay beside the simulated loggers that use them."""
    tokens = {}
    for block in (b for b in BLOCKS if not b.by_hand):
        key = block.document["key"]
        stations = [f"{key}/{s.key}" for s in block.stations]
        tokens[key] = telemetry.register(f"logger-{key}", f"logger of {block.document['name']}", stations)
    path = folder / TOKENS
    path.write_text(json.dumps(tokens), encoding="utf-8")
    path.chmod(0o600)


def advance(folder: Path, url: str, hours: int) -> Sent:
    """Move the demonstration's clock and let everything simulated go on until then.

    Parameters
    ----------
    folder : Path
        The demonstration's folder with its tokens.
    url : str
        Where the running server is reached.
    hours : int
        1 to 168.

    Raises
    ------
    Conflict
        If this is not the demonstration.
    """
    farm = clock.the_farm()
    path = folder / TOKENS
    if farm.clock_at is None or not path.exists():
        raise Conflict("clock", "only the demonstration's clock can be advanced")
    try:
        Browser(url)
    except OSError as away:
        raise Conflict("clock", "the simulated loggers do not reach the server, so nothing was moved") from away
    start = farm.clock_at
    end = start + 3600 * hours
    simulation = Simulation()
    simulation.go(max(END, datetime.fromtimestamp(start, UTC)))
    valves = ValveClock()
    tokens = json.loads(path.read_text(encoding="utf-8"))
    total = Sent()
    for moment in [*range(start + DAY_S, end, DAY_S), end]:
        begin = max(start, moment - DAY_S) if moment != end else start + (end - start - 1) // DAY_S * DAY_S
        _run_sets(simulation, valves, (begin, moment))
        simulation.go(max(END, datetime.fromtimestamp(moment, UTC)))
        season = simulation.season()
        _log(url, season, begin, moment)
        _send(url, season, (begin, moment), (tokens, total))
        judging.judge_waiting()
        apply_corrections()
        keep_mornings()
    keep_models_now()
    return total


def _run_sets(simulation: Simulation, valves: ValveClock, span: tuple[int, int]) -> None:
    """The night as it goes: the clock stops wherever a valve is to open or close, and the soil follows what ran."""
    start, end = span
    zone = clock.the_farm().time_zone
    planned = [p for p in planned_sets(zone, start) if p.state != "withdrawn" and p.start_at >= END.timestamp()]
    for one in planned:
        simulation.follow(one.part.block, datetime.fromtimestamp(one.start_at, UTC))
    with one_at_a_time:
        for moment in sorted(_moments(planned, start, end) | {end}):
            with transaction():
                farm_store.hold_clock(moment)
            valves.to(moment)
            step(moment)
            by_hand = [p for p in planned_sets(zone, start) if p.state in ("approved", "running") and not p.part.valve]
            _people(by_hand, moment)
    for block, set_start, set_end, gross in _really(zone, start - LONGEST_SET_S):
        simulation.ran(block, set_start, set_end, gross)


def _moments(planned: list[PlannedSet], start: int, end: int) -> set[int]:
    """Starts and ends of sets, and some minutes after each: valves of a line open one after another."""
    found = set()
    for one in planned:
        for at in (one.start_at, one.end_at):
            found |= {at + 60 * n for n in range(STAGGERED)}
    return {at for at in found if start < at < end}


def _people(sets: list[PlannedSet], now: int) -> None:
    """What the simulated field hand tells by phone: a set by hand is started and stopped when it is due."""
    for one in sets:
        entries = []
        if one.state == "approved" and one.start_at <= now:
            entries.append(("start", one.start_at))
        if one.end_at <= now:
            entries.append(("stop", one.end_at))
        for what, at in entries:
            told([ToldIn(key=f"{one.key[:40]}-{what}", planned=one.key, what=what,  # type: ignore[arg-type]
                         at=times.local(at, one.zone))])  # fmt: skip


def _really(zone: str, since: int) -> list[tuple[str, int, int, float]]:
    """Sets of the plan as they really ran: block, start and end [s, UTC], depth over the block [mm]."""
    found = []
    for one in planned_sets(zone, since):
        ran = ran_of(one)
        if ran is not None and ran.end_at is not None and ran.gross_mm > 0 and one.start_at >= END.timestamp():
            found.append((one.part.block, ran.start_at, ran.end_at, ran.gross_mm))
    return found


def _send(url: str, season: Season, span: tuple[int, int], sending: tuple[dict[str, str], Sent]) -> None:
    """What every simulated logger saw over a span [s, UTC], a day at most, so that nothing comes late."""
    (start, end), (tokens, total) = span, sending
    for number, block in enumerate(b for b in BLOCKS if not b.by_hand):
        key = block.document["key"]
        logger = LoggerStandIn(url, tokens[key], DROP_SHARE, REPEAT_SHARE, seed=start + number)
        battery = 3.6 - 0.0002 * ((end - int(END.timestamp())) / 3600) - (0.35 if key == "norte-2" else 0)
        sent = logger.send(_readings(block, season, start, end), battery_v=round(battery, 3))
        for name in ("new", "known", "refused", "batches", "dropped", "repeated"):
            setattr(total, name, getattr(total, name) + getattr(sent, name))
        total.refusals += sent.refusals


def _readings(block: Any, season: Season, start: int, end: int) -> list[dict[str, Any]]:
    hours = np.array(season.hours)
    wanted = np.flatnonzero((hours > start) & (hours <= end))
    found = []
    for station in (s for s in season.stations if s.block is block):
        for depth in station.story.depths_cm:
            values = raw_values(station, depth)
            channel = column_name(block, station, depth)
            found += [
                {"channel": channel, "at": int(hours[i]), "value": float(values[i])}
                for i in wanted.tolist()
                if np.isfinite(values[i])
            ]
    return sorted(found, key=lambda r: (r["at"], r["channel"]))


def _log(url: str, season: Season, start: int, end: int) -> None:
    """Sets, rain and forecasts of the time between, as the manager and the weather service would send them."""
    sets = [s for s in season.sets if start < datetime.fromisoformat(s["start"]).timestamp() <= end]
    first, last = (
        (datetime.fromtimestamp(t, UTC) + timedelta(hours=UTC_SHIFT_H)).date().isoformat() for t in (start, end)
    )
    rain = [r for r in season.rain if first <= r["day"] < last]
    eto = [e for e in season.eto if first <= e["day"] < last]
    issued = _issued(start, end)
    if not sets and not rain and not eto and not issued:
        return
    body = {"embalse": 1, "sets": sets, "rain": rain, "eto": eto, "forecasts": issued}
    Browser(url).post("/api/farm", body)


def _issued(start: int, end: int) -> list[dict[str, Any]]:
    """Forecasts that the simulated weather service gave out in between [s, UTC]."""
    zone = clock.the_farm().time_zone
    days = [times.day_of(times.local_day(t, zone)) for t in (start, end)]
    found = forecasts(*days)
    return [f for f in found if start < times.epoch(datetime.fromisoformat(f["issued"]), zone) <= end]
