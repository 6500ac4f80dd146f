"""What a plan is made of: supplies by the step, sets that are wanted, and the plan itself."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import require

Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class SupplyLane:
    """A supply over the steps of a plan.

    ``flow_m3_h`` is the most it gives in each step [m³/h], shape (steps,), 0 where it does not run; infinite where not
    limited. ``price`` is what a cubic metre costs then, in the farm's currency. ``hours_a_day`` is how long it may run
    a day [h], ``volume_m3`` what it may give in all [m³], None where not limited; ``budgets`` are hours it may run
    within spans of steps: those of a week. ``already`` (shape (steps,), none if None) are steps it runs anyway, for
    sets that are approved: they count as hours, and their flow is taken off ``flow_m3_h``. A pump that runs gives
    at least ``least_m3_h`` [m³/h]: what is laid at a step draws so much, or the supply runs anyway.
    """

    key: str
    flow_m3_h: Floats
    price: Floats
    hours_a_day: float | None = None
    volume_m3: float | None = None
    least_m3_h: float = 0.0
    budgets: tuple["HourBudget", ...] = ()
    already: Flags | None = None

    def runs_anyway(self) -> Flags:
        """Steps it runs for what is approved, shape (steps,)."""
        return np.zeros(len(self.flow_m3_h), dtype=bool) if self.already is None else self.already

    @property
    def timed(self) -> bool:
        """Whether the hours it runs are counted."""
        return self.hours_a_day is not None or bool(self.budgets) or self.least_m3_h > 0


@dataclass(frozen=True)
class HourBudget:
    """Hours a supply may run from a step on, up to another one that is not counted any more."""

    first: int
    end: int
    hours: float


@dataclass(frozen=True, eq=False)
class WantedSet:
    """A set that is wanted of a supply.

    ``flow_m3_h`` is what it draws [m³/h], ``steps`` how long it runs. It may start from step ``earliest`` on, where
    ``allowed`` (shape (steps,), all if None) says it may run. ``due_days`` is when the block reaches its trigger [days
    from the plan's beginning, below 0 where it is past it], ``falls_mm_d`` how fast it then goes down [mm/day],
    ``weight`` how much the crop's yield minds it in this stage [-].
    ``attended`` (shape (steps + 1,), all if None) says at which steps somebody is there to start or end it; with
    ``ends_within`` it ends within its last step, and somebody must be there for the whole of that.
    ``before`` is the step an approved plan has it at. Sets of the same ``block`` are parts of one set: they do not run
    side by side.
    """

    key: str
    supply: str
    flow_m3_h: float
    steps: int
    earliest: int = 0
    due_days: float = 0.0
    falls_mm_d: float = 1.0
    weight: float = 1.0
    before: int | None = None
    allowed: Flags | None = field(default=None, compare=False)
    attended: Flags | None = field(default=None, compare=False)
    ends_within: bool = False
    block: str = ""


@dataclass(frozen=True)
class Grid:
    """The steps of a plan: how many minutes each, how many in all, and at which step of a day it begins.

    ``days`` are the days its steps lie in, one each, where a day has not its usual number of steps: on the two nights
    on which clocks are changed.
    """

    step_min: int
    steps: int
    first_of_day: int = 0
    days: tuple[int, ...] | None = None

    def hours(self, steps: int) -> float:
        """Hours of some steps [h]."""
        return steps * self.step_min / 60

    @property
    def a_day(self) -> int:
        """Steps of a day."""
        return 1440 // self.step_min

    def day_of(self) -> NDArray[np.int64]:
        """The day, from 0, each step lies in, shape (steps,)."""
        if self.days is not None:
            return np.array(self.days, dtype=np.int64) - self.days[0]
        return np.asarray((self.first_of_day + np.arange(self.steps)) // self.a_day, dtype=np.int64)


@dataclass(frozen=True)
class Placed:
    """A set with the step it starts at, None where it does not fit, and its stress [weighted mm·days]."""

    key: str
    start: int | None
    stress_mm_d: float


@dataclass(frozen=True)
class Plan:
    """Sets on supplies. ``stress_mm_d``, ``cost`` and ``changes`` are its sums.

    ``gap`` is how far the stress may lie above the least possible one [share], 0 where it is proven; ``quick`` where it
    only follows the deadlines.
    """

    placed: tuple[Placed, ...]
    stress_mm_d: float
    cost: float
    changes: int
    gap: float = 0.0
    quick: bool = False

    def start_of(self, key: str) -> int | None:
        """The step a set starts at; None where it does not fit. Raises KeyError where it was not wanted."""
        return {p.key: p.start for p in self.placed}[key]


def check_wanted(grid: Grid, lanes: dict[str, SupplyLane], wanted: list[WantedSet]) -> None:
    """Refuse what no plan can be made of.

    Raises
    ------
    CoreError
        A step that does not divide the day, a lane of another length, a set of an unknown supply, without water or
        shorter than a step, two sets of one key.
    """
    require(grid.step_min > 0 and 1440 % grid.step_min == 0, "step_min", "must divide the day")
    require(grid.steps > 0, "steps", "must be more than 0")
    for lane in lanes.values():
        fits = lane.flow_m3_h.shape == (grid.steps,) == lane.price.shape
        require(fits, "supplies", f"{lane.key} is not known for every step")
        require(lane.volume_m3 is None or lane.volume_m3 >= 0, "supplies", f"{lane.key} cannot owe water")
        require(bool(np.all(lane.flow_m3_h >= 0)), "supplies", f"{lane.key} cannot give less than nothing")
    keys = [one.key for one in wanted]
    require(len(set(keys)) == len(keys), "sets", "two sets have the same key")
    for one in wanted:
        require(one.supply in lanes, "sets", f"{one.key} has no supply")
        require(one.steps >= 1, "sets", f"{one.key} is shorter than a step")
        require(one.flow_m3_h > 0, "sets", f"{one.key} draws no water")


def stress_mm_d(one: WantedSet, grid: Grid, start: int | None) -> float:
    """Stress until a set is half done [weighted mm·days]: the triangle under the line that falls past the trigger.

    Without a start it is that of a set half done a day after the plan's end, so that any place is better than none.

    Examples
    --------
    >>> stress_mm_d(WantedSet("a", "well", 50.0, 48, due_days=0.5, falls_mm_d=6.0), Grid(30, 240), 72)
    6.75
    """
    half_done = grid.steps + grid.a_day if start is None else start + one.steps / 2
    late = max(0.0, half_done / grid.a_day - one.due_days)
    return one.weight * one.falls_mm_d * late**2 / 2


def may_start(one: WantedSet, lane: SupplyLane, grid: Grid) -> NDArray[np.int64]:
    """Steps at which a set may start: its supply gives its flow all the time, and it may run in every step."""
    if one.steps > grid.steps:
        return np.empty(0, dtype=np.int64)
    open_ = lane.flow_m3_h >= one.flow_m3_h - 1e-9
    if one.allowed is not None:
        open_ = open_ & one.allowed
    closed = np.concatenate([[0], np.cumsum(~open_)])
    starts = np.arange(max(0, one.earliest), grid.steps - one.steps + 1)
    free = closed[starts + one.steps] == closed[starts]
    if one.attended is not None:
        free &= one.attended[starts] & one.attended[starts + one.steps]
        if one.ends_within:
            free &= one.attended[starts + one.steps - 1]
    return np.asarray(starts[free], dtype=np.int64)


def cost_of(one: WantedSet, lane: SupplyLane, grid: Grid, start: int) -> float:
    """What the water of a set costs when it starts at a step [currency]."""
    return float(one.flow_m3_h * grid.step_min / 60 * lane.price[start : start + one.steps].sum())


def summed(
    grid: Grid, lanes: dict[str, SupplyLane], wanted: list[WantedSet], starts: dict[str, int | None], gap: float = 0.0
) -> Plan:
    """A plan from the steps sets start at, with its sums."""
    placed = tuple(Placed(w.key, starts[w.key], stress_mm_d(w, grid, starts[w.key])) for w in wanted)
    given = [(w, s) for w in wanted if (s := starts[w.key]) is not None]
    cost = sum(cost_of(w, lanes[w.supply], grid, s) for w, s in given)
    changes = sum(w.before is not None and starts[w.key] != w.before for w in wanted)
    return Plan(placed, sum(p.stress_mm_d for p in placed), cost, changes, gap)
