"""Single words that are kept as codes and said as they stand, so that the catalogues have them."""

from typing import Final

WORDS: Final[tuple[str, ...]] = (
    # joining words of sentences
    "day", "days", " a day", " and ", " tomorrow", " in {days} days",
    # weekdays and months
    "Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun",
    "Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec",
    "January", "February", "March", "April", "June", "July", "August", "September", "October", "November", "December",
    # systems
    "drip", "buried drip", "micro", "sprinkler", "pivot", "furrow", "border",
    # soils
    "sand", "loamy sand", "sandy loam", "loam", "silt loam", "silt", "sandy clay loam", "clay loam",
    "silty clay loam", "sandy clay", "silty clay", "clay",
    # stages
    "initial", "development", "mid", "late",
    # roles
    "viewer", "field hand", "agronomist", "manager", "owner",
    # states of sets, steps, sensors and supplies
    "planned", "approved", "running", "done", "stopped", "by hand", "cut short", "did not run", "failed", "open",
    "closed", "locked", "armed", "not armed", "ready", "not ready", "rejected", "not needed", "now", "later",
    "not known",
    "not told", "cannot tell", "right", "too much", "too little", "too fast", "not all of the block",
    "well run", "too wet", "too dry", "not reaching", "active", "invited", "left",
    # instruments
    "capacitance sensor", "home-made capacitance sensor", "granular matrix sensor", "tensiometer", "profile probe",
    # marks and what estimates them
    "full", "refill", "wilting", "saturation", "set-up", "table", "tension", "growth", "laboratory", "drain-down",
    "curve",
    "curve picked", "allowable depletion", "allowable depletion, for this use", "share of full",
    "share of full, all stages",
    "share of full, initial", "share of full, development", "share of full, mid", "share of full, late",
    "tension threshold", "texture equation", "class average", "lowest seen", "uptake slow-down", "by hand",
    "in the ground", "on the bench", "in store", "other", "done", "optional", "good", "fair", "rough", "chosen",
    "differ", "linear", "power", "quadratic", "packing", "catch cans", "emitter flows", "begun", "settled", "watched",
    "in use",
    "mon", "tue", "wed", "thu", "fri", "sat", "sun",
    "air", "water", "cannot sign in", "channel check",
    "home-made capacitance blade", "logger with telemetry", "logger without telemetry", "hired service",
    "capacitance probe",
    "visit", "replacement", "repair", "service", "battery", "move", "installation",
    "mains", "reservoir", "well", "canal turn", "created", "changed", "deleted", "taken back", "stored", "read in",
    "invented readings",
    "Embalse itself",
    "cans", "emitters", "hand meter", "air-dry", "dry", "moist", "wet", "as in water", "leaf-out",
    "granular matrix", "soil",
    # lines of the working
    "Depletion, at least", "Depletion in the wetted soil, at least", "first of three", "second of three",
    "third of three",
    # what a farm grows, by the names people use
    "almond", "alfalfa", "sunflower", "pistachio", "olive", "garlic", "tomato", "onion", "maize", "cotton", "grape",
    "citrus",
    "walnut", "apple", "potato", "wheat", "barley", "pepper", "sweet pepper",
)  # fmt: skip
"""Every such word; crops come from the library of crops beside them."""
