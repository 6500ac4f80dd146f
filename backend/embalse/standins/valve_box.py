"""A simulated valve controller: valves on a pump's line, a flow meter, a pressure switch, and what can go wrong."""

import json
import os
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

METER_EVERY_S = 3600
KEPT_EVENTS = 5000
FULL_BAR = 2.4


@dataclass
class Faults:
    """What goes wrong. Instants are [s, UTC] of the true clock; None: it does not."""

    stuck: list[str] = field(default_factory=list)
    flow_factor: float = 1.0
    leak_m3_h: float = 0.0
    pressure_lost_at: float | None = None
    pressure_back_at: float | None = None
    line_lost_at: float | None = None
    line_back_at: float | None = None
    clock_off_s: float = 0.0
    power_cut_at: float | None = None
    power_back_at: float | None = None
    nonsense: bool = False

    def line_lost(self, at: float) -> bool:
        """Whether nobody reaches the controller."""
        return _within(at, self.line_lost_at, self.line_back_at) or self.dark(at)

    def dark(self, at: float) -> bool:
        """Whether it has no power."""
        return _within(at, self.power_cut_at, self.power_back_at)

    def pressure(self, at: float) -> bool:
        """Whether the pump gives pressure."""
        return not _within(at, self.pressure_lost_at, self.pressure_back_at) and not self.dark(at)

    def turns(self) -> list[float]:
        """Instants at which something changes."""
        found = (self.pressure_lost_at, self.pressure_back_at, self.power_cut_at, self.power_back_at)
        return [t for t in found if t is not None]


def _within(at: float, start: float | None, end: float | None) -> bool:
    return start is not None and at >= start and (end is None or at < end)


@dataclass
class Valve:
    """A valve: the flow it takes [m³/h], and while it is open since when, until when, and by which command."""

    flow_m3_h: float
    since: float | None = None
    closes_at: float | None = None
    command: str = ""


class ValveBox:
    """The controller's whole memory; every change is on disk before it is answered.

    Parameters
    ----------
    path : Path
        Where its memory lies; made with ``valves`` if there is none.
    valves : dict of str to float
        Flow of each valve [m³/h].
    """

    def __init__(self, path: Path, valves: dict[str, float], at: float) -> None:
        self._path = path
        self.at, self.held = at, False
        self.valves = {name: Valve(flow) for name, flow in valves.items()}
        self.faults = Faults()
        self.meter_m3, self.seq = 0.0, 0
        self.events: list[dict[str, Any]] = []
        self.commands: dict[str, str] = {}
        if path.exists():
            self._load(json.loads(path.read_text(encoding="utf-8")))
        for name, flow in valves.items():
            self.valves.setdefault(name, Valve(flow)).flow_m3_h = flow
        self._keep()

    def _load(self, kept: dict[str, Any]) -> None:
        self.at, self.held, self.meter_m3, self.seq = (kept[n] for n in ("at", "held", "meter_m3", "seq"))
        self.valves = {name: Valve(**v) for name, v in kept["valves"].items()}
        self.faults = Faults(**kept["faults"])
        self.events, self.commands = kept["events"], kept["commands"]

    def _keep(self) -> None:
        body = {
            "at": self.at, "held": self.held, "meter_m3": self.meter_m3, "seq": self.seq,
            "valves": {n: asdict(v) for n, v in self.valves.items()}, "faults": asdict(self.faults),
            "events": self.events[-KEPT_EVENTS:], "commands": self.commands,
        }  # fmt: skip
        beside = self._path.with_suffix(".new")
        with beside.open("w", encoding="utf-8") as file:
            json.dump(body, file)
            file.flush()
            os.fsync(file.fileno())
        beside.replace(self._path)

    def flow_m3_h(self, at: float) -> float:
        """Flow through the meter [m³/h]."""
        if not self.faults.pressure(at):
            return 0.0
        asked = sum(v.flow_m3_h for v in self.valves.values() if v.since is not None)
        return asked * self.faults.flow_factor + (self.faults.leak_m3_h if asked else 0.0)

    def run_to(self, at: float) -> None:
        """Let time go on to an instant [s, UTC]: valves close at their longest time, the meter counts, faults come."""
        if at <= self.at:
            return
        for moment in self._moments(at):
            self.meter_m3 += self.flow_m3_h((self.at + moment) / 2) * (moment - self.at) / 3600
            before = self.at
            self.at = moment
            self._turn(before, moment)
        self._keep()

    def _moments(self, until: float) -> Iterator[float]:
        """Instants of interest, one after another, as they come: valves that open later add none in between."""
        while self.at < until:
            ahead = [v.closes_at for v in self.valves.values() if v.since is not None and v.closes_at is not None]
            ahead += self.faults.turns()
            if self.flow_m3_h(self.at) > 0:
                ahead.append((self.at // METER_EVERY_S + 1) * METER_EVERY_S)
            yield min([t for t in ahead if t > self.at] + [until])

    def _turn(self, before: float, moment: float) -> None:
        was, now = self.faults.pressure(before), self.faults.pressure(moment)
        if self.faults.dark(moment) and not self.faults.dark(before):
            self._note("meter", value=self.meter_m3)
            for name in [n for n, v in self.valves.items() if v.since is not None]:
                self._shut(name, "closed: power lost")
        if was != now:
            self._note("meter", value=self.meter_m3)
            self._note("pressure back" if now else "pressure lost")
        for name, valve in self.valves.items():
            if valve.since is not None and valve.closes_at is not None and moment >= valve.closes_at:
                self._note("meter", value=self.meter_m3)
                self._shut(name, "closed: longest time")
        if moment % METER_EVERY_S == 0 and self.flow_m3_h(moment) > 0:
            self._note("meter", value=self.meter_m3)

    def _note(self, what: str, valve: str = "", command: str = "", value: float | None = None) -> None:
        self.seq += 1
        said = {"seq": self.seq, "at": self.at + self.faults.clock_off_s, "valve": valve, "what": what,
                "command": command, "value": value}  # fmt: skip
        self.events.append(said)

    def _shut(self, name: str, what: str) -> None:
        valve = self.valves[name]
        self._note(what, name, valve.command)
        valve.since = valve.closes_at = None
        valve.command = ""

    def command(self, command_id: str, valve: str, action: str, longest_s: float) -> None:
        """Open or close; a command known already does nothing more. Raises KeyError for a valve that is not there."""
        known = self.valves[valve]
        if command_id in self.commands:
            return
        self.commands[command_id] = action
        if action == "open":
            self._open(command_id, valve, longest_s)
        elif known.since is not None:
            self._note("meter", value=self.meter_m3)
            self._shut(valve, "closed")
        self._keep()

    def _open(self, command_id: str, name: str, longest_s: float) -> None:
        valve = self.valves[name]
        if name in self.faults.stuck:
            self._note("did not open", name, command_id)
            return
        self._note("meter", value=self.meter_m3)
        if valve.since is not None:
            self._shut(name, "closed")
        valve.since, valve.closes_at, valve.command = self.at, self.at + longest_s, command_id
        self._note("opened", name, command_id)
        self._note("bar", value=FULL_BAR if self.faults.pressure(self.at) else 0.0)

    def stop_all(self, command_id: str) -> None:
        """Close every valve."""
        if command_id in self.commands:
            return
        self.commands[command_id] = "stop all"
        self._note("meter", value=self.meter_m3)
        for name in [n for n, v in self.valves.items() if v.since is not None]:
            self._shut(name, "closed: by hand")
        self._keep()

    def by_hand(self, valve: str, opened: bool) -> None:
        """Somebody at the valve itself."""
        if opened:
            self._note("meter", value=self.meter_m3)
            self.valves[valve].since = self.at
            self._note("opened", valve)
        else:
            self._note("meter", value=self.meter_m3)
            self._shut(valve, "closed: by hand")
        self._keep()

    def set_faults(self, faults: dict[str, Any]) -> None:
        """Switch faults on or off."""
        self.faults = Faults(**{**asdict(self.faults), **faults})
        self._keep()

    def hold(self, at: float) -> None:
        """Hold its clock at an instant, as the demonstration does; time goes on to it first."""
        self.held = True
        self.run_to(at)
        self._keep()

    def state(self) -> dict[str, Any]:
        """What it says of itself."""
        off = self.faults.clock_off_s
        valves = [
            {
                "valve": name, "open": v.since is not None, "since": None if v.since is None else v.since + off,
                "closes_at": None if v.closes_at is None else v.closes_at + off, "command": v.command,
            }
            for name, v in self.valves.items()
        ]  # fmt: skip
        pressure = self.faults.pressure(self.at)
        line = {"pressure": pressure, "bar": FULL_BAR if pressure else 0.0, "flow_m3_h": self.flow_m3_h(self.at),
                "meter_m3": self.meter_m3}  # fmt: skip
        return {"at": self.at + off, "valves": valves, "line": line, "last_seq": self.seq}
