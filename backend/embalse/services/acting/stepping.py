"""One step of acting: controllers are asked what they do, logs are read, what is due is opened or closed."""

import json
import logging
import secrets
from threading import RLock
from typing import Final

from embalse.core.acting.set_state import DELAY_MIN, MARGIN_S, due_now, wait_s
from embalse.core.errors import CoreError
from embalse.core.wording import Notice
from embalse.services.acting.controller import ControllerAway, ControllerRefuses, ControllerState
from embalse.services.acting.evidence import evidence_from_controller, keep_evidence, settle
from embalse.services.acting.reaching import Device, controller_at
from embalse.services.load import clock
from embalse.services.load.water_rules import water_rules_at
from embalse.services.planning import planned as planned_store
from embalse.services.planning.arming import armed
from embalse.services.planning.planned import PlannedSet
from embalse.services.reader import say
from embalse.store import controllers as store
from embalse.store import farm as farm_store
from embalse.store.changes import ITSELF, acting
from embalse.store.controllers import CommandRow, ControllerRow, ValveEventRow
from embalse.store.database import transaction
from embalse.store.errors import Conflict

log = logging.getLogger("embalse")
LOOK_BACK_S: Final = 2 * 86400  # how far back planned sets are looked after (ours)
JUMP_S: Final = 60.0  # seconds a controller's clock may move against the farm's between looks before it is told (ours)


one_at_a_time = RLock()
"""Whoever steps holds it; so does whoever moves clocks that must not be seen half moved."""


def step(now: int | None = None) -> int:
    """Look after every controller once, at an instant [s, UTC] (now if None); returns how many were reached.

    A controller that is not reached is asked again later, less and less often; nothing of it stops the others.
    """
    with one_at_a_time:
        return _step(now)


def _step(now: int | None) -> int:
    farm = farm_store.farm()
    if farm is None:
        return 0
    at = clock.farm_now(farm) if now is None else now
    reached = 0
    for row in store.controllers():
        if row.next_try_at is not None and at < row.next_try_at:
            continue
        try:
            with acting(ITSELF):
                _look_after(row, at, farm.time_zone)
            reached += 1
        except ControllerAway as away:
            _put_off(row, at, str(away))
        except Conflict:
            raise  # the file is busy: all of it is tried again
        except Exception as odd:
            log.exception("controller %s", row.key)
            _put_off(row, at, f"looking after it failed: {odd}")
    return reached


def _put_off(row: ControllerRow, now: int, why: str) -> None:
    tries = row.tries + 1
    with transaction():
        store.not_reached(row.id, tries, now + round(wait_s(tries)), why)
    log.warning("controller %s: %s", row.key, why)


def _look_after(row: ControllerRow, now: int, zone: str) -> None:
    device = controller_at(row.url, row.token)
    state = device.state()
    _reached(row, state, now)
    _read_log(row, device, state, (now, zone))
    if _send_due(row, device, now, zone):
        _read_log(row, device, device.state(), (now, zone))
    _close_the_books(row, state, now, zone)


def _close_the_books(row: ControllerRow, state: ControllerState, now: int, zone: str) -> None:
    """Sets past their end of which no more is to come: a set that waits for a line that never comes waits for ever."""
    shut = {v.valve for v in state.valves if not v.open}
    for one in _mine(row, now, zone):
        if now <= one.end_at + MARGIN_S:
            continue
        if one.state == "running":
            _tell_set(row, one, now, shut=one.part.valve in shut)
        elif one.state == "confirmed":
            with transaction():
                planned_store.became(one, "failed", now, say(Notice("ran.never_opened")), row.name)


def _reached(row: ControllerRow, state: ControllerState, now: int) -> None:
    off = state.at - now
    with transaction():
        store.reached(row.id, now, off, state.model_dump_json())
    if row.clock_off_s is not None and abs(off - row.clock_off_s) > JUMP_S:
        log.warning("controller %s: its clock jumped by %.0f s", row.key, off - row.clock_off_s)


def _read_log(row: ControllerRow, device: Device, state: ControllerState, at: tuple[int, str]) -> None:
    """New lines of its log, by the farm's clock: its own may be off. Lines and what they tell are kept together."""
    now, zone = at
    current = store.of_supply(row.supply)
    after = current.last_seq if current is not None else row.last_seq
    if state.last_seq < after:
        after = 0
        with transaction():
            store.log_begun_anew(row.id)
    off = state.at - now
    lines = device.log(after)
    if not lines:
        return
    rows = [ValveEventRow(e.seq, round(e.at - off), e.valve, e.what, e.command, e.value) for e in lines]
    with transaction():
        if store.keep_events(row.id, rows):
            _tell_sets(row, now, zone)


def _tell_sets(row: ControllerRow, now: int, zone: str) -> None:
    """Sets of the controller as its log tells them."""
    for one in _mine(row, now, zone):
        if one.state in ("withdrawn", "by hand") or not store.commands_of(one.key):
            continue
        _tell_set(row, one, now)


def _tell_set(row: ControllerRow, one: PlannedSet, now: int, *, shut: bool = False) -> None:
    """One set as the log tells it; what cannot be is logged and leaves the others."""
    found = evidence_from_controller(one, row, now, shut=shut)
    if found is None:
        return
    try:
        with transaction():
            keep_evidence(found)
            settle(one.key, now, by=row.name)
    except CoreError as odd:
        log.warning("controller %s, set %s: %s", row.key, one.key, odd)


def _mine(row: ControllerRow, now: int, zone: str) -> list[PlannedSet]:
    kept = planned_store.planned_sets(zone, now - LOOK_BACK_S)
    return [p for p in kept if p.part.supply == row.supply and p.part.valve in row.valves]


def _send_due(row: ControllerRow, device: Device, now: int, zone: str) -> bool:
    may_open = armed(row.supply, now, zone)
    sent = False
    delay_s = _delay_s(row.supply, now, zone)
    last_open = max((c.sent_at or 0 for p in _mine(row, now, zone) for c in store.commands_of(p.key)
                     if c.action.startswith("open")), default=0)  # fmt: skip
    for one in _mine(row, now, zone):
        if one.part.pulses > 1 and one.state in ("confirmed", "running") and now < one.end_at:
            sent |= _pulse(row, device, one, (now, may_open))
            continue
        due = due_now(one.state, one.start_at, one.end_at, now)
        if due is None:
            continue
        if due.what == "close":
            sent |= _tell(row, device, one, ("close", 0, now))
        elif not may_open:
            continue
        elif due.what == "fail":
            with transaction():
                planned_store.became(one, "failed", now, say(Notice("ran.too_late")), row.name)
        elif one.part.pulses > 1:
            sent |= _pulse(row, device, one, (now, may_open))
        elif _asked_open(one) or now - last_open >= delay_s:
            sent |= _tell(row, device, one, ("open", due.longest_s, now))
            last_open = now
    return sent


def _pulse(row: ControllerRow, device: Device, one: PlannedSet, at: tuple[int, bool]) -> bool:
    """The pulse of a set that is due now: opened once for what is left of it; between pulses the valve is closed."""
    now, may_open = at
    sent = False
    for number, (begin, end) in enumerate(planned_store.pulses_of(one)):
        opened = store.command(f"{one.key}|{one.part.sequence}|open {number}")
        if opened is None or opened.confirmed_at is None:
            if may_open and begin <= now < end:
                sent |= _tell(row, device, one, (f"open {number}", end - now + MARGIN_S, now))
        elif now >= end:
            sent |= _tell(row, device, one, (f"close {number}", 0, now))
    return sent


def _asked_open(one: PlannedSet) -> bool:
    return any(c.action.startswith("open") and c.sent_at is not None for c in store.commands_of(one.key))


def _delay_s(supply: str, now: int, zone: str) -> float:
    rules = water_rules_at(now, zone).get(supply)
    return 60.0 * (DELAY_MIN if rules is None else rules.delay_min)


def _tell(row: ControllerRow, device: Device, one: PlannedSet, what: tuple[str, int, int]) -> bool:
    """Write a command down, then send it; told again under the same name it does nothing twice."""
    action, longest_s, now = what
    name = f"{one.key}|{one.part.sequence}|{action}"
    opens = action.startswith("open")
    with transaction():
        if opens and not _still_to_open(one, now):
            return False
        store.make_command(CommandRow(name, row.id, one.key, one.part.valve, action, longest_s, now, None, None, ""))
        kept = store.command(name)
        if not opens and kept is not None and kept.confirmed_at is not None:
            return False
        if opens and one.state in ("approved", "sent"):
            one = planned_store.became(one, "sent", now, by=row.name)
    try:
        device.command(name, one.part.valve, "open" if opens else "close", longest_s if opens else 0)
    except ControllerRefuses as refused:
        with transaction():
            store.mark_command(name, sent_at=now, refused=str(refused))
            if opens:
                planned_store.became(one, "failed", now, str(refused), row.name)
        log.warning("controller %s refuses to %s %s: %s", row.key, action, one.part.valve, refused)
        return True
    with transaction():
        store.mark_command(name, sent_at=now, confirmed_at=now)
        if opens and one.state == "sent":
            planned_store.became(one, "confirmed", now, by=row.name)
    return True


def _still_to_open(one: PlannedSet, now: int) -> bool:
    """Whether a set may be opened as it is in this very moment: not taken back, moved or disarmed since it was read."""
    known = planned_store.planned_set(one.key, one.zone)
    as_read = known.live and known.part.sequence == one.part.sequence
    return as_read and armed(one.part.supply, now, one.zone)


def stop_all(who_says: str) -> list[str]:
    """Close every valve of every controller and disarm all supplies; returns controllers that were not reached.

    What cannot be reached closes by itself at its longest time; it is told.
    """
    from embalse.services.planning.arming import arm

    farm = clock.the_farm()
    now = clock.farm_now(farm)
    rows = store.controllers()
    for row in rows:
        if armed(row.supply, now, farm.time_zone):
            with transaction():
                arm(row.supply, False, True)
    away = [row.name for row in rows if not _stopped(row, who_says)]
    with one_at_a_time, acting(ITSELF):  # whatever was on its way to a valve has arrived: it is closed again
        for row in rows:
            _closed_again(row, now, farm.time_zone)
    return away


def _stopped(row: ControllerRow, who_says: str) -> bool:
    """Tell a controller to close everything, under a name of its own each time; whether it was reached."""
    try:
        controller_at(row.url, row.token).stop_all(f"stop-all|{secrets.token_hex(8)}")
    except (ControllerAway, ControllerRefuses) as trouble:
        log.warning("stop-all by %s: controller %s: %s", who_says, row.key, trouble)
        return False
    return True


def _closed_again(row: ControllerRow, now: int, zone: str) -> None:
    device = controller_at(row.url, row.token)
    try:
        state = device.state()
        if any(v.open for v in state.valves):
            _stopped(row, "itself")
            state = device.state()
        _read_log(row, device, state, (now, zone))
    except ControllerAway as trouble:
        log.warning("controller %s: %s", row.key, trouble)


def controller_says(row: ControllerRow) -> ControllerState | None:
    """What a controller last said; None where it never answered."""
    return None if row.seen_at is None else ControllerState.model_validate(json.loads(row.state))
