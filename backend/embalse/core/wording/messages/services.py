"""What is said of the farm's records, imports and pages."""

from typing import Final

MESSAGES: Final[dict[str, str]] = {
    "undo.not_yours": "only what you entered yourself can be taken back",
    "undo.changed": "{subject} was changed since: change it by hand",
    "undo.used": "{subject} is used by now: change it by hand",
    "undo.own_way": "{subject}: take this back on its own page",
    "undo.farm": "the farm and its clock stay: change them on the set-up page",
    "undo.kept": "this is kept as it was given",
    "apply.depth_taken": "the station has another sensor at {depth_cm:g}",
    "cli.wetting": "[{least} ]+{gain_mm} to {reach_cm:g}[, {below_mm} below the roots]",
    "cli.water": "{kind} of {depth_mm}",
    "cli.uptake": "{depth_cm:g} {share_fraction}",
    "cli.layer": "{top_cm:-g} to {bottom_cm:g}: full {full_theta:-}, refill {refill_theta:-}, wilting {wilting_theta} in force",
    "cli.advice": "{mid_days:1} ({low} to {high}), {net_mm} net[, {set_h}]",
    "cli.change": "{name}: {before} → {after}, depletion {old_mm} → {new_mm}, net {old_net_mm} → {new_net_mm}",
    "import.unit_set": "unit of {name} set to {unit}, as the file has it",
    "import.looked_at_later": "the readings are stored and could not be looked at for faults yet: nothing is advised from them until then",
    "import.hour_twice": "{rows:g} rows stand in the hour that happens twice when clocks go back; they were told apart by their order",
    "import.out_of_order": "{rows:g} rows were not in the order of time; they were read as they are",
    "label.sensor": "{block}, {station}, {depth_cm:g}",
    "word.none": "none",
}  # fmt: skip
