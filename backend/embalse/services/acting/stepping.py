"""One step of acting: controllers are asked what they do, logs are read, what is due is opened or closed."""

import json
import logging
from threading import RLock
from typing import Final

from embalse.core.acting.set_state import MARGIN_S, due_now, wait_s
from embalse.core.errors import CoreError
from embalse.core.wording import Notice
from embalse.services.acting.controller import Controller, ControllerAway, ControllerRefuses, ControllerState
from embalse.services.acting.evidence import evidence_from_controller, keep_evidence, settle
from embalse.services.load import clock
from embalse.services.planning import planned as planned_store
from embalse.services.planning.arming import armed
from embalse.services.planning.planned import PlannedSet
from embalse.services.planning.supplies import supply_sides
from embalse.services.reader import say
from embalse.store import controllers as store
from embalse.store import farm as farm_store
from embalse.store.changes import ITSELF, acting
from embalse.store.controllers import CommandRow, ControllerRow, ValveEventRow
from embalse.store.database import transaction

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
            tries = row.tries + 1
            with transaction():
                store.not_reached(row.id, tries, at + round(wait_s(tries)), str(away))
            log.warning("controller %s: %s", row.key, away)
    return reached


def _look_after(row: ControllerRow, now: int, zone: str) -> None:
    device = Controller(row.url, row.token)
    state = device.state()
    _reached(row, state, now)
    _read_log(row, device, state, (now, zone))
    if _send_due(row, device, now, zone):
        _read_log(row, device, device.state(), (now, zone))
    for one in _mine(row, now, zone):
        if one.state == "confirmed" and now > one.end_at + MARGIN_S:
            with transaction():
                planned_store.became(one, "failed", now, say(Notice("ran.never_opened")), row.name)


def _reached(row: ControllerRow, state: ControllerState, now: int) -> None:
    off = state.at - now
    with transaction():
        store.reached(row.id, now, off, state.model_dump_json())
    if row.clock_off_s is not None and abs(off - row.clock_off_s) > JUMP_S:
        log.warning("controller %s: its clock jumped by %.0f s", row.key, off - row.clock_off_s)


def _read_log(row: ControllerRow, device: Controller, state: ControllerState, at: tuple[int, str]) -> None:
    """New lines of its log, by the farm's clock: its own may be off. Lines and what they tell are kept together."""
    now, zone = at
    current = store.of_supply(row.supply)
    after = current.last_seq if current is not None else row.last_seq
    if state.last_seq < after:
        after = 0  # its log was begun anew
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
        found = evidence_from_controller(one, row, now)
        if found is None:
            continue
        try:
            with transaction():
                keep_evidence(found)
                settle(one.key, now, by=row.name)
        except CoreError as odd:
            log.warning("controller %s, set %s: %s", row.key, one.key, odd)


def _mine(row: ControllerRow, now: int, zone: str) -> list[PlannedSet]:
    kept = planned_store.planned_sets(zone, now - LOOK_BACK_S)
    return [p for p in kept if p.part.supply == row.supply and p.part.valve in row.valves]


def _send_due(row: ControllerRow, device: Controller, now: int, zone: str) -> bool:
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


def _pulse(row: ControllerRow, device: Controller, one: PlannedSet, at: tuple[int, bool]) -> bool:
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
    side = supply_sides(farm_store.farm_rows(), now, zone).get(supply)
    return 60.0 if side is None or side.rules is None else 60.0 * side.rules.delay_min


def _tell(row: ControllerRow, device: Controller, one: PlannedSet, what: tuple[str, int, int]) -> bool:
    """Write a command down, then send it; told again under the same name it does nothing twice."""
    action, longest_s, now = what
    name = f"{one.key}|{one.part.sequence}|{action}"
    with transaction():
        made = CommandRow(name, row.id, one.key, one.part.valve, action, longest_s, now, None, None, "")
        store.make_command(made)
    kept = store.command(name) or made
    opens = action.startswith("open")
    if not opens and kept.confirmed_at is not None:
        return False
    if opens and one.state in ("approved", "sent"):
        with transaction():
            one = planned_store.became(one, "sent", now, by=row.name)
    try:
        if opens:
            device.command(name, one.part.valve, "open", longest_s)
        else:
            device.command(name, one.part.valve, "close", 0)
    except ControllerRefuses as refused:
        with transaction():
            store.mark_command(name, sent_at=now, refused=str(refused))
            if opens:
                planned_store.became(one, "failed", now, str(refused), row.name)
            else:
                store.mark_command(name, confirmed_at=now)
        return True
    with transaction():
        store.mark_command(name, sent_at=now, confirmed_at=now)
        if opens and one.state == "sent":
            planned_store.became(one, "confirmed", now, by=row.name)
    return True


def stop_all(who_says: str) -> list[str]:
    """Close every valve of every controller and disarm all supplies; returns controllers that were not reached.

    What cannot be reached closes by itself at its longest time; it is told.
    """
    from embalse.services.planning.arming import arm

    farm = clock.the_farm()
    now = clock.farm_now(farm)
    away = []
    for row in store.controllers():
        if armed(row.supply, now, farm.time_zone):
            with transaction():
                arm(row.supply, False, True)
        device = Controller(row.url, row.token)
        try:
            device.stop_all(f"stop-all|{now}|{row.key}")
            with acting(ITSELF):
                _read_log(row, device, device.state(), (now, farm.time_zone))
        except (ControllerAway, ControllerRefuses) as trouble:
            log.warning("stop-all by %s: controller %s: %s", who_says, row.key, trouble)
            away.append(row.name)
    return away


def controller_says(row: ControllerRow) -> ControllerState | None:
    """What a controller last said; None where it never answered."""
    return None if row.seen_at is None else ControllerState.model_validate(json.loads(row.state))
