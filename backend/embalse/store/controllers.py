"""Valve controllers, what was sent to them and what their logs said; addresses of calendar feeds."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from embalse.store.database import database
from embalse.store.errors import NotFound
from embalse.store.select import select


@dataclass(frozen=True)
class ControllerRow:
    """A controller of a supply's valves, and how it was last reached; ``state`` is what it last said, as JSON text."""

    id: int
    key: str
    name: str
    supply: str
    url: str
    token: str
    valves: tuple[str, ...]
    last_seq: int
    seen_at: int | None
    clock_off_s: float | None
    tries: int
    next_try_at: int | None
    trouble: str
    state: str


@dataclass(frozen=True)
class CommandRow:
    """A command to a controller: its name, the planned set and valve it is for, and what became of it."""

    id: str
    controller_id: int
    planned: str
    valve: str
    action: str
    longest_s: int
    made_at: int
    sent_at: int | None
    confirmed_at: int | None
    refused: str


@dataclass(frozen=True)
class ValveEventRow:
    """A line of a controller's log [s, UTC by the farm's clock]."""

    seq: int
    at: int
    valve: str
    what: str
    command: str
    value: float | None


@dataclass(frozen=True)
class FeedRow:
    """A calendar feed."""

    id: int
    name: str
    created_at: int
    revoked_at: int | None
    last_seen_at: int | None


_CONTROLLER = """SELECT id, key, name, supply, url, token, valves, last_seq, seen_at, clock_off_s, tries, next_try_at,
  trouble, state FROM controller"""


def _controllers(where: str = "", values: tuple[Any, ...] = ()) -> list[ControllerRow]:
    found = select(f"{_CONTROLLER} {where} ORDER BY id", ControllerRow, list(values))
    return [ControllerRow(**{**row.__dict__, "valves": tuple(json.loads(str(row.valves)))}) for row in found]


def controllers() -> list[ControllerRow]:
    """All controllers."""
    return _controllers()


def of_supply(supply: str) -> ControllerRow | None:
    """The controller of a supply; None where its valves are opened by hand."""
    found = _controllers("WHERE supply = ?", (supply,))
    return found[0] if found else None


def put_controller(key: str, values: Mapping[str, Any]) -> None:
    """Enter a controller, or change it: name, supply, url, token and valves."""
    names = ("name", "supply", "url", "token")
    texts = [values[n] for n in names] + [json.dumps(values["valves"])]
    database.execute_sql(
        """INSERT INTO controller (key, name, supply, url, token, valves) VALUES (?, ?, ?, ?, ?, ?)
           ON CONFLICT (key) DO UPDATE SET name = excluded.name, supply = excluded.supply, url = excluded.url,
           token = excluded.token, valves = excluded.valves, tries = 0, next_try_at = NULL, trouble = ''""",
        (key, *texts),
    )


def delete_controller(key: str) -> None:
    """Forget a controller; raises NotFound."""
    if not database.execute_sql("DELETE FROM controller WHERE key = ?", (key,)).rowcount:
        raise NotFound("controller", f"there is no controller '{key}'")


def reached(controller_id: int, at: int, clock_off_s: float, state: str) -> None:
    """A controller answered at an instant [s, UTC]: how far its clock is off [s], and what it says it does."""
    database.execute_sql(
        """UPDATE controller SET seen_at = ?, clock_off_s = ?, tries = 0, next_try_at = NULL, trouble = '', state = ?
           WHERE id = ?""",
        (at, clock_off_s, state, controller_id),
    )


def not_reached(controller_id: int, tries: int, next_try_at: int, trouble: str) -> None:
    """A controller did not answer, or not sensibly."""
    sql = "UPDATE controller SET tries = ?, next_try_at = ?, trouble = ? WHERE id = ?"
    database.execute_sql(sql, (tries, next_try_at, trouble[:300], controller_id))


def keep_events(controller_id: int, events: list[ValveEventRow]) -> list[ValveEventRow]:
    """Keep lines of a log; returns those that are new."""
    new = []
    sql = "SELECT log_base FROM controller WHERE id = ?"
    base = int(database.execute_sql(sql, (controller_id,)).fetchone()[0])
    for event in events:
        row = (controller_id, base + event.seq, event.at, event.valve, event.what, event.command, event.value)
        sql = "INSERT OR IGNORE INTO valve_event VALUES (?, ?, ?, ?, ?, ?, ?)"
        if database.execute_sql(sql, row).rowcount:
            new.append(event)
    if events:
        sql = "UPDATE controller SET last_seq = MAX(last_seq, ?) WHERE id = ?"
        database.execute_sql(sql, (max(e.seq for e in events), controller_id))
    return new


def log_begun_anew(controller_id: int) -> None:
    """A controller numbers its log from 1 again: what comes stands after what was kept of the old one."""
    sql = "UPDATE controller SET log_base = log_base + last_seq, last_seq = 0 WHERE id = ?"
    database.execute_sql(sql, (controller_id,))


def events(controller_id: int, start_at: int, end_at: int) -> list[ValveEventRow]:
    """Lines of a controller's log between two instants [s, UTC], in its order."""
    sql = """SELECT seq, at, valve, what, command, value FROM valve_event
             WHERE controller_id = ? AND at BETWEEN ? AND ? ORDER BY seq"""
    return select(sql, ValveEventRow, [controller_id, start_at, end_at])


_COMMAND = """SELECT id, controller_id, planned, valve, action, longest_s, made_at, sent_at, confirmed_at, refused
  FROM valve_command"""


def command(command_id: str) -> CommandRow | None:
    """A command by its name; None where it was never made."""
    found = select(f"{_COMMAND} WHERE id = ?", CommandRow, [command_id])
    return found[0] if found else None


def commands_of(planned: str) -> list[CommandRow]:
    """Commands made for a planned set, oldest first."""
    return select(f"{_COMMAND} WHERE planned = ? ORDER BY made_at, id", CommandRow, [planned])


def make_command(row: CommandRow) -> None:
    """Write a command down before it is sent; one of that name that stands already stays as it is."""
    database.execute_sql(
        "INSERT OR IGNORE INTO valve_command VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", tuple(row.__dict__.values())
    )


def mark_command(command_id: str, *, sent_at: int | None = None, confirmed_at: int | None = None,
                 refused: str = "") -> None:  # fmt: skip
    """What became of a command."""
    database.execute_sql(
        """UPDATE valve_command SET sent_at = COALESCE(?, sent_at), confirmed_at = COALESCE(?, confirmed_at),
           refused = CASE WHEN ? = '' THEN refused ELSE ? END WHERE id = ?""",
        (sent_at, confirmed_at, refused, refused[:300], command_id),
    )


def make_feed(name: str, token_hash: str, at: int) -> None:
    """Keep a calendar feed."""
    sql = "INSERT INTO calendar_feed (token_hash, name, created_at) VALUES (?, ?, ?)"
    database.execute_sql(sql, (token_hash, name, at))


def feeds() -> list[FeedRow]:
    """Calendar feeds, those taken back too."""
    return select("SELECT id, name, created_at, revoked_at, last_seen_at FROM calendar_feed ORDER BY id", FeedRow, [])


def feed_of(token_hash: str) -> FeedRow | None:
    """The feed of a token that is not taken back."""
    sql = """SELECT id, name, created_at, revoked_at, last_seen_at FROM calendar_feed
             WHERE token_hash = ? AND revoked_at IS NULL"""
    found = select(sql, FeedRow, [token_hash])
    return found[0] if found else None


def feed_seen(feed_id: int, at: int) -> None:
    """A feed was asked for."""
    database.execute_sql("UPDATE calendar_feed SET last_seen_at = ? WHERE id = ?", (at, feed_id))


def revoke_feed(feed_id: int, at: int) -> None:
    """Take a feed back; raises NotFound."""
    sql = "UPDATE calendar_feed SET revoked_at = ? WHERE id = ? AND revoked_at IS NULL"
    if not database.execute_sql(sql, (at, feed_id)).rowcount:
        raise NotFound("feed", "there is no such calendar address, or it is revoked already")


def keep_lines(rows: list[tuple[str, int, bool | None, float | None]]) -> int:
    """Keep what lines said: supply, instant [s, UTC], pressure, meter [m³]; returns how many were new or said more."""
    new = 0
    for supply, at, pressure, meter in rows:
        sql = """INSERT INTO line_reading VALUES (?, ?, ?, ?) ON CONFLICT (supply, at) DO UPDATE SET
                 pressure = COALESCE(excluded.pressure, pressure), meter_m3 = COALESCE(excluded.meter_m3, meter_m3)
                 WHERE excluded.pressure IS NOT NULL AND pressure IS NOT excluded.pressure
                 OR excluded.meter_m3 IS NOT NULL AND meter_m3 IS NOT excluded.meter_m3"""
        new += database.execute_sql(sql, (supply, at, pressure, meter)).rowcount
    return new


def lines(supply: str, start_at: int, end_at: int) -> list[tuple[int, bool | None, float | None]]:
    """What a supply's line said between two instants [s, UTC]: instant, pressure, meter [m³]; oldest first."""
    sql = "SELECT at, pressure, meter_m3 FROM line_reading WHERE supply = ? AND at BETWEEN ? AND ? ORDER BY at"
    rows = database.execute_sql(sql, (supply, start_at, end_at)).fetchall()
    return [(at, None if pressure is None else bool(pressure), meter) for at, pressure, meter in rows]
