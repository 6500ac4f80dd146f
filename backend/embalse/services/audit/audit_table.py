"""The audit of the farm's sets as a CSV table: units in the head, nothing a spreadsheet runs."""

from typing import Final

from embalse.services.audit.farm_audit import FarmSetOut, farm_audit
from embalse.services.planning.plan_table import as_csv

HEAD: Final = (
    "block", "name", "start", "end", "planned [h]", "ran [h]", "gross [mm]", "metered", "expected [mm]", "gained [mm]",
    "error [mm]", "below roots [mm]", "missing [mm]", "lacked before [mm]", "reach [cm]", "roots [cm]",
    "application efficiency", "storage efficiency", "lower sensors", "correction", "verdict", "why",
)  # fmt: skip


def audit_csv(moment: str | None, days: int) -> str:
    """Every block's sets held against its probes, newest first; raises as :func:`farm_audit` does."""
    return as_csv(HEAD, (_row(s) for s in farm_audit(moment, days).sets))


def _row(one: FarmSetOut) -> tuple[object, ...]:
    return (
        one.block, one.name, one.start, one.end, _round(one.planned_h), _round(one.ran_h), _round(one.gross_mm),
        "yes" if one.metered else "no", _round(one.expected_mm), _round(one.gained_mm), _round(one.error_mm),
        _round(one.below_mm), _round(one.missing_mm), _round(one.lacked_mm), _round(one.reach_cm),
        _round(one.wanted_cm), _round(one.application_efficiency), _round(one.storage_efficiency), one.lower.said,
        _round(one.correction), one.verdict, one.why,
    )  # fmt: skip


def _round(value: float | None) -> float | str:
    return "" if value is None else round(value, 2)
