"""The demonstration moved forward: its simulated loggers, manager and weather go on, through the public doors."""

import json
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from embalse.services import times
from embalse.services.advice.model_keeping import keep_models_now
from embalse.services.advice.mornings import keep_mornings
from embalse.services.intake import telemetry
from embalse.services.load import clock
from embalse.services.readings import judging
from embalse.standins.browser import Browser
from embalse.standins.demo_farm import END, UTC_SHIFT_H, Season, forecasts, simulate
from embalse.standins.demo_stories import BLOCKS
from embalse.standins.logger import LoggerStandIn, Sent
from embalse.standins.logger_files import column_name, raw_values
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict

TOKENS = "tokens.json"
LONGEST_H = 168
DAY_S = 86400
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
    season = simulate(until=max(END, datetime.fromtimestamp(end, UTC)))
    tokens = json.loads(path.read_text(encoding="utf-8"))
    total = Sent()
    for moment in [*range(start + DAY_S, end, DAY_S), end]:
        begin = max(start, moment - DAY_S) if moment != end else start + (end - start - 1) // DAY_S * DAY_S
        with transaction():
            farm_store.hold_clock(moment)
        _log(url, season, begin, moment)
        _send(url, season, (begin, moment), (tokens, total))
        judging.judge_waiting()
        keep_mornings()
    keep_models_now()
    return total


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
