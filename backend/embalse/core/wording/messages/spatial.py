"""What is said between the stations: why there is no map, what lasts, and where a node more would help."""

MESSAGES: dict[str, str] = {
    "map.few": "only {nodes:g} node{nodes:s} told the same thing; a map needs {wanted:g}, and with fewer it would be invention",
    "map.few_days": "every node was read on only {days:0}; {wanted_days:0} are needed to tell what lasts",
    "map.one_place": "two nodes are entered at the same place",
    "map.no_place": "{nodes:g} node{nodes:s} without a place on the map",
    "map.alike": "all nodes read the same",
    "map.no_likeness": "neighbours among the {nodes:g} nodes are no more alike than by accident ({chance_fraction} chance of it): a map would be invention. The mean of the nodes is what is known",
    "map.no_gain": "told by their neighbours, the {nodes:g} nodes are no nearer than the block's mean: a map would be invention. The mean of the nodes is what is known",
    "map.error": "Told by its neighbours a node is off by {error_mm} as a rule, by the block's mean {mean_mm}",
    "map.error_share": "Told by its neighbours a node is off by {error_fraction} as a rule, by the block's mean {mean_fraction}",
    "map.error_number": "Told by its neighbours a node is off by {error:1} as a rule, by the block's mean {mean:1}",
    "map.dry": "{name} always lies {off_mm} drier than the block: look for a clogged line, a worn emitter, sandier soil or a rise",
    "map.wet": "{name} always lies {off_mm} wetter than the block: look for a leak, a low place, a seep or heavier soil",
    "map.best": "{name} stands best for the block's mean: alone it is off by {off_mm}",
    "map.worst": "{name} stands worst: alone it would be off by {off_mm}",
    "map.next": "A node more teaches most where the ring is: the map's variance falls by {gain_fraction}[, for {cost} in your currency]",
    "zones.one": "The zones differ by less than the map's doubt: one amount for all",
    "zones.saved": "{saved_mm} less over the block than the amount of the driest zone for all, ± {doubt_mm}",
}  # fmt: skip
