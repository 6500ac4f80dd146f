"""What to measure: the choices for a block, what each costs, and what each can and cannot tell."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Any, Final

from embalse.core.errors import require
from embalse.core.practice import practice
from embalse.core.tables import table_rows
from embalse.core.wording import Notice, Text

LAYER_CM = 30.0  # cm a single-depth sensor stands for (common practice, no source)
STEP_CM = 10.0  # cm between sensors of a profile probe (common practice, no source)
VISITS_A_SEASON = 20.0  # visits to read by hand: weekly over five months (common practice, no source)


@dataclass(frozen=True)
class InstrumentCost:
    """Costs of a kind of instrument [currency units], minutes to install and to visit; ``signal`` is what it gives."""

    kind: str
    per: str
    buy: float
    install: float
    yearly_fee: float
    install_min: float
    visit_min: float
    signal: str
    source: str


@dataclass(frozen=True)
class InstrumentChoice:
    """A way to instrument a block: stations, depths [cm], what it costs over the seasons, what it tells and does not.

    ``watch_cm`` is the sensor below the roots, None where there is none.
    """

    choice: str
    title: Text
    instrument: str
    stations: int
    depths_cm: tuple[float, ...]
    watch_cm: float | None
    sensors: int
    first_year: float
    later_years: float
    total: float
    tells: tuple[Text, ...]
    cannot_tell: tuple[Text, ...]


@dataclass(frozen=True)
class PlanBasis:
    """What a plan is made for: root depth [cm], described soil [cm], seasons, labour [currency/h], visits a season."""

    root_depth_cm: float
    soil_depth_cm: float
    seasons: float = 3.0
    labour_per_h: float = 20.0
    visits: float = VISITS_A_SEASON


@cache
def instrument_costs() -> dict[str, InstrumentCost]:
    """Example costs by kind of instrument [currency units of the day]; replace them by your own quotes."""
    return {
        row["kind"]: InstrumentCost(
            row["kind"],
            row["per"],
            float(row["buy"]),
            float(row["install"]),
            float(row["yearly_fee"]),
            float(row["install_min"]),
            float(row["visit_min"]),
            row["signal"],
            row["source"],
        )
        for row in table_rows("instrument_costs.csv")
    }


def layer_middles_cm(root_depth_cm: float, soil_depth_cm: float) -> list[float]:
    """Depths at the middle of 30 cm layers [cm]: all in the roots and the first below them, as far as the soil goes."""
    depths = [LAYER_CM / 2 + LAYER_CM * n for n in range(40)]
    return [d for d in depths if d - LAYER_CM < root_depth_cm and d <= soil_depth_cm]


def every_10_cm(root_depth_cm: float, soil_depth_cm: float) -> list[float]:
    """Depths every 10 cm from 10 cm to 20 cm below the roots, as far as the soil goes [cm]."""
    return [d for d in (STEP_CM * n for n in range(1, 51)) if d <= root_depth_cm + 2 * STEP_CM and d <= soil_depth_cm]


def upper_and_lower_cm(root_depth_cm: float, soil_depth_cm: float) -> list[float]:
    """An upper depth in the main root zone and a lower one at its foot [cm], to 5 cm: a third and 0.85 of the roots."""
    wanted_upper, wanted_lower = (5 * round(share * root_depth_cm / 5) for share in (1 / 3, 0.85))
    lower = min(max(wanted_lower, wanted_upper + 15, 20), 5 * math.floor(soil_depth_cm / 5))
    return [float(min(max(10, wanted_upper), lower - 10)), float(lower)]


def instrument_choices(
    basis: PlanBasis, own_costs: Mapping[str, Mapping[str, float]] | None = None
) -> list[InstrumentChoice]:
    """The usual ways to instrument a block, cheapest first.

    Parameters
    ----------
    basis : PlanBasis
        Depths [cm], seasons, labour and visits.
    own_costs : mapping of instrument kind to mapping of cost name to value, optional
        Replaces the examples of the table.

    Returns
    -------
    list of InstrumentChoice

    Raises
    ------
    CoreError
        If depths, seasons, labour or a cost are out of range.
    """
    require(0 < basis.root_depth_cm <= 500, "root_depth_cm", Notice("error.range_cm", low_cm=0.0, high_cm=500.0))
    require(basis.soil_depth_cm >= 20, "soil_depth_cm", Notice("error.soil_shallow", least_cm=20.0))
    require(0 < basis.seasons <= 30, "seasons", "must lie between 0 and 30")
    require(basis.labour_per_h >= 0 and basis.visits >= 0, "labour_per_h", "must not be negative")
    middles = layer_middles_cm(basis.root_depth_cm, basis.soil_depth_cm)
    tens = every_10_cm(basis.root_depth_cm, basis.soil_depth_cm)
    pair = upper_and_lower_cm(basis.root_depth_cm, basis.soil_depth_cm)
    offers: list[Offer] = [
        Offer("pairs", "Three pairs of matrix sensors, upper and lower", "granular matrix sensor", 3, pair, False),
        Offer("pairs-tensiometer", "Three pairs of tensiometers, upper and lower", "tensiometer", 3, pair, False),
        Offer(
            "middles",
            Notice("instrument.middles", stations=1, every_cm=LAYER_CM),
            "capacitance sensor",
            1,
            middles,
            True,
        ),
        Offer(
            "middles-2",
            Notice("instrument.middles", stations=2, every_cm=LAYER_CM),
            "capacitance sensor",
            2,
            middles,
            True,
        ),
        Offer("profile", Notice("instrument.profile", probes=1, every_cm=STEP_CM), "profile probe", 1, tens, True),
        Offer("profile-2", Notice("instrument.profile", probes=2, every_cm=STEP_CM), "profile probe", 2, tens, True),
    ]
    costs = _costs(own_costs)
    return sorted((_choice(offer, basis, costs) for offer in offers), key=lambda c: c.total)


@dataclass(frozen=True)
class ReadingWay:
    """A way to read a choice of instruments: by hand, logger or telemetry, own work or hired [currency units]."""

    reading: str
    by: str
    title: str
    convenience: str
    duties: tuple[str, ...]
    first_year: float
    later_years: float
    total: float


def reading_ways(
    choice: InstrumentChoice, basis: PlanBasis, own_costs: Mapping[str, Mapping[str, float]] | None = None
) -> list[ReadingWay]:
    """What each way of reading a choice costs and asks for, over the seasons of the plan (units as in ``PlanBasis``).

    Sensors cost the same whichever way they are read. Hired work is paid by its fees; its own minutes are not counted.
    A logger is read out twice a season. A meter read by hand is bought once for the farm.

    Raises
    ------
    CoreError
        If a cost is out of range.
    """
    costs = _costs(own_costs)
    return [_way(row, choice, basis, costs) for row in table_rows("reading_ways.csv")]


READ_OUTS: Final = 2.0  # visits to a logger a season: its memory lasts about half a year (common practice, no source)


def _way(
    row: Mapping[str, str], choice: InstrumentChoice, basis: PlanBasis, costs: Mapping[str, InstrumentCost]
) -> ReadingWay:
    sensor, service = costs[choice.instrument], costs["hired service"]
    pieces = choice.stations if sensor.per == "probe" else choice.sensors
    hired = row["by"] == "hired"
    labour = 0.0 if hired else basis.labour_per_h / 60
    first = pieces * (sensor.buy + sensor.install + sensor.install_min * labour)
    yearly = pieces * sensor.yearly_fee
    if row["reading"] == "hand":
        first += costs["hand meter"].buy
        yearly += pieces * sensor.visit_min * labour * basis.visits
    else:
        logger = costs["logger with telemetry" if row["reading"] == "telemetry" else "logger without telemetry"]
        first += choice.stations * (logger.buy + logger.install + logger.install_min * labour)
        yearly += choice.stations * (logger.yearly_fee + READ_OUTS * logger.visit_min * labour)
    if hired:
        first += choice.stations * service.install
        yearly += choice.stations * service.yearly_fee
    total = first + yearly * basis.seasons
    duties = tuple(row["duties"].split("|"))
    return ReadingWay(
        row["reading"], row["by"], row["title"], row["convenience"], duties, first + yearly, yearly, total
    )


def boundary_notices(limits_cm: Sequence[float], choices: Sequence[InstrumentChoice]) -> list[Notice]:
    """Horizon limits [cm] that a proposed sensor sits on: its layer would mix two soils (common practice)."""
    clear = practice("horizon_clearance_cm")
    found = []
    for limit in limits_cm:
        near = sorted({d for c in choices for d in c.depths_cm if abs(d - limit) < clear})
        if near:
            depths = tuple(Notice("at.bare_depth", depth_cm=d) for d in near)
            found.append(Notice("instrument.boundary", limit_cm=limit, sensors=depths, clear_cm=clear))
    return found


def _costs(own: Mapping[str, Mapping[str, float]] | None) -> dict[str, InstrumentCost]:
    costs = dict(instrument_costs())
    for kind, changes in (own or {}).items():
        require(kind in costs, "costs", f"'{kind}' is no kind of instrument")
        for name, value in changes.items():
            require(name in ("buy", "install", "yearly_fee", "install_min", "visit_min"), "costs", f"'{name}'?")
            require(value >= 0, f"costs.{kind}.{name}", "must not be negative")
        numbers: dict[str, Any] = dict(changes)
        costs[kind] = replace(costs[kind], **numbers, source="entered")
    return costs


@dataclass(frozen=True)
class Offer:
    """A choice of instruments before it is priced: stations, their depths [cm], with a logger or read by hand."""

    choice: str
    title: Text
    kind: str
    stations: int
    depths_cm: list[float]
    logged: bool


def _choice(offer: Offer, basis: PlanBasis, costs: Mapping[str, InstrumentCost]) -> InstrumentChoice:
    kind, stations, depths = offer.kind, offer.stations, offer.depths_cm
    cost, logger = costs[kind], costs["logger with telemetry"]
    pieces = stations if cost.per == "probe" else stations * len(depths)
    first = pieces * (cost.buy + cost.install + cost.install_min / 60 * basis.labour_per_h)
    yearly = pieces * cost.yearly_fee
    if offer.logged:
        first += stations * (logger.buy + logger.install + logger.install_min / 60 * basis.labour_per_h)
        yearly += stations * logger.yearly_fee
        yearly += stations * 2 * logger.visit_min / 60 * basis.labour_per_h
    else:
        yearly += pieces * cost.visit_min / 60 * basis.labour_per_h * basis.visits
    watch = next((d for d in depths if d > basis.root_depth_cm), None)
    tells, cannot = _tells(cost.signal, len(depths), stations, watch is not None)
    return InstrumentChoice(
        offer.choice, offer.title, kind, stations, tuple(depths), watch, stations * len(depths), first + yearly, yearly,
        first + yearly * basis.seasons, tells, cannot,
    )  # fmt: skip


def _tells(signal: str, depths: int, stations: int, watched: bool) -> tuple[tuple[Text, ...], tuple[Text, ...]]:
    tells: list[Text] = ["when to irrigate"]
    cannot: list[Text] = []
    if signal == "water" and depths >= 3:
        tells.append("how much, from the depletion of each layer")
    else:
        cannot.append("how much: tension needs a retention curve, or a fixed dose corrected by the lower sensor")
    if watched:
        tells.append("whether water leaves below the roots")
    elif depths == 2:
        tells.append("whether a set reaches the lower sensor")
        cannot.append("how much leaves below the roots")
    if depths >= 6:
        tells.append("where the roots drink, and how deep each wetting goes")
    if stations > 1:
        tells.append(Notice("instrument.uneven", stations=stations))
    else:
        cannot.append("how uneven the block is: one place stands for all of it")
    return tuple(tells), tuple(cannot)
