"""Who may do what on a farm: roles in rising order, and the least role each kind of change asks for."""

from typing import Final, Literal, get_args

from embalse.core.errors import CoreError

Role = Literal["viewer", "field hand", "agronomist", "manager", "owner"]
ROLES: Final[tuple[Role, ...]] = get_args(Role)
ROLE_WORDS: Final[dict[Role, str]] = {
    "viewer": "sees everything, changes nothing",
    "field hand": "reads by hand, installs, starts and stops sets, notes channel checks, visits and rain",
    "agronomist": "also stations, exchanged wires, calibrations, soils, marks, blocks, files, weather, forecasts, "
    "and what is said of faults",
    "manager": "also systems, supplies, the farm's own entries, devices that send readings, and approves "
    "the plan and arms its supplies",
    "owner": "also the farm's people",
}
SHORTEST_PASSWORD: Final = 10  # characters; common practice
LEAST_GUESSES_POWER: Final = 6.0  # power of ten of guesses; a throttled door is tried about a million times
MOST_LOOKED_AT: Final = 72  # characters looked at: it takes long for more, which are not guessed anyway
LONGEST_PASSWORD: Final = 200  # characters; a longer one would only cost time to hash

LEAST_ROLE: Final[dict[str, Role]] = {
    "look": "viewer",
    "own account": "viewer",
    "hand readings": "field hand",
    "sets": "field hand",
    "rain": "field hand",
    "visits": "field hand",
    "procedure_runs": "field hand",
    "channel_checks": "field hand",
    "photos": "field hand",
    "spots": "field hand",
    "uniformity_tests": "field hand",
    "growth_days": "field hand",
    "fruit_samples": "field hand",
    "set_evidence": "field hand",
    "set_visits": "field hand",
    "sensor_findings": "field hand",
    "stages_seen": "field hand",
    "rain_notes": "field hand",
    "logger_memories": "field hand",
    "bench_readings": "field hand",
    "harvests": "field hand",
    "meter_readings": "field hand",
    "running sets": "field hand",
    "eto": "agronomist",
    "forecasts": "agronomist",
    "dry_windows": "agronomist",
    "block_rules": "agronomist",
    "set_choices": "agronomist",
    "audit_rules": "agronomist",
    "orders": "agronomist",
    "zone_acceptances": "agronomist",
    "plantings": "agronomist",
    "depth_schemes": "agronomist",
    "air_limits": "agronomist",
    "comparisons": "agronomist",
    "sample_sheets": "agronomist",
    "mark_choices": "agronomist",
    "retention_curves": "agronomist",
    "fruit_targets": "agronomist",
    "batch_tests": "agronomist",
    "siting_limits": "agronomist",
    "instrument_plans": "agronomist",
    "soils": "agronomist",
    "blocks": "agronomist",
    "stations": "agronomist",
    "sensors": "agronomist",
    "calibrations": "agronomist",
    "devices": "agronomist",
    "placements": "agronomist",
    "files": "agronomist",
    "verdicts": "agronomist",
    "farm": "manager",
    "systems": "manager",
    "supplies": "manager",
    "gateways": "manager",
    "clock": "manager",
    "water_rules": "manager",
    "block_shifts": "manager",
    "block_zones": "manager",
    "soil_zones": "manager",
    "payload_maps": "manager",
    "work_hours": "manager",
    "set_groups": "manager",
    "planned_sets": "manager",
    "armings": "manager",
    "controllers": "manager",
    "people": "owner",
    "package": "manager",
}


class WeakPassword(CoreError):
    """A password that is refused."""

    def __init__(self, reason: str) -> None:
        super().__init__("password", reason)


def may(role: Role, what: str) -> bool:
    """Whether a role may make a kind of change (a key of ``LEAST_ROLE``); a kind not listed asks for the owner.

    Examples
    --------
    >>> may("field hand", "sets"), may("field hand", "calibrations"), may("manager", "people")
    (True, False, False)
    """
    return ROLES.index(role) >= ROLES.index(LEAST_ROLE.get(what, "owner"))


def refusal(role: Role, what: str) -> str:
    """Why a role may not make a kind of change.

    Examples
    --------
    >>> refusal("viewer", "sets")
    'this asks for the role field hand or above (sets); you are signed in as viewer'
    """
    least = LEAST_ROLE.get(what, "owner")
    above = "" if least == "owner" else " or above"
    return f"this asks for the role {least}{above} ({what.replace('_', ' ')}); you are signed in as {role}"


def checked_password(password: str, sign_in: str) -> str:
    """The password itself when it is good enough.

    Parameters
    ----------
    password : str
        10 to 200 characters of any kind.
    sign_in : str
        Name the person signs in with.

    Raises
    ------
    WeakPassword
        If it is too short or too long, the sign-in name, one character over and over, or among those guessed first.

    References
    ----------
    .. [1] Length rather than kinds of characters: NIST SP 800-63B, section 5.1.1.2 (its least length is 8), which
       also asks for a comparison with common passwords; Wheeler (2016), USENIX Security: 10^6 guesses are made online.
    """
    if len(password) < SHORTEST_PASSWORD:
        raise WeakPassword(f"at least {SHORTEST_PASSWORD} characters; three or four words make a good one")
    if len(password) > LONGEST_PASSWORD:
        raise WeakPassword(f"at most {LONGEST_PASSWORD} characters")
    if sign_in and sign_in.lower() in password.lower() and len(password) < len(sign_in) + SHORTEST_PASSWORD - 4:
        raise WeakPassword("not the sign-in name with a few characters more")
    if len(set(password)) < 4:
        raise WeakPassword("more than three different characters")
    if _guesses_power(password, sign_in) < LEAST_GUESSES_POWER:
        raise WeakPassword("not one of those that are guessed first; three or four words make a good one")
    return password


def _guesses_power(password: str, sign_in: str) -> float:
    """Power of ten of the guesses a password takes by lists of common ones, names, dates and keyboard rows."""
    from zxcvbn import zxcvbn

    return float(zxcvbn(password[:MOST_LOOKED_AT], [sign_in, "embalse"])["guesses_log10"])
