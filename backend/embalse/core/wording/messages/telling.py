"""What people are told by mail."""

from typing import Final

MESSAGES: Final[dict[str, str]] = {
    "alert.failed": "{name}: the set of {at_time} did not run[: {why}]",
    "alert.open": "{name} is still running: it was to end at {at_time}. Close it by hand if need be",
    "alert.silent": "{name}: nothing was heard, and its block needs water today: {why}",
    "alert.frost": "Frost is forecast for {on_day}: {air_c}, your limit is {limit_c} ({share_fraction} of the forecast's members)",
    "alert.heat": "Heat is forecast for {on_day}: {air_c}, your limit is {limit_c} ({share_fraction} of the forecast's members)",
    "letter.title": "{farm}, {on_day}: {sentence}",
    "letter.set": "{net_mm} net[, {set_h}]",
    "letter.hours": "{start_time} to {end_time}",
    "letter.no_place": "No place in {ahead_days}",
    "letter.parts": "{left:g} of {parts:g} parts: {why}",
    "letter.nothing": "Nothing needs water today",
    "letter.trial": "This is how a message from Embalse reaches you",
}  # fmt: skip
