"""Practice of the demonstration: an inherited stub, marks, stages and rain seen, a logger, two ways compared."""

from typing import Any

Document = dict[str, Any]
WHO, OTHER = "Inés", "Tomás"
STUB_BLOCK = "olivar"
STUB: Document = {
    "key": "v",
    "name": "stub by the gate",
    "longitude": -15.199998,
    "latitude": 38.400361,
    "sensors": [
        {"key": "stub", "depth_cm": 40, "type": "granular matrix sensor", "channel": "olivar-v-stub", "raw_unit": "kPa"}
    ],
}
"""A sensor somebody left in Olivar: nobody knows how deep it sits."""


def practice_parts() -> Document:
    """What people in the field told, as parts of the farm document."""
    return {
        "sensor_findings": [
            {"key": "stub-olivar", "valid_from": "2026-06-02", "sensor": "olivar/v/stub", "depth_cm": None,
             "who": OTHER, "kind": "granular matrix",
             "note": "two wires by the gate, no papers, nobody knows how deep"},
        ],
        "depth_schemes": [
            {"key": "marks", "valid_from": "2026-02-01", "scheme": "counted down", "who": WHO,
             "note": "1 is the shallowest, on every tag and wire"},
        ],
        "stages_seen": [
            {"key": "hull-split", "valid_from": "2026-07-10", "block": "norte-1", "crop": "almond",
             "stage": "hull split", "who": OTHER, "note": "first row at the well"},
        ],
        "rain_notes": [
            {"key": "rain-vega", "valid_from": "2026-04-22", "block": "vega", "gauge_mm": 3.5, "wet_to_cm": 5.0,
             "who": OTHER, "note": "dug by the inlet the morning after"},
        ],
        "logger_memories": [
            {"key": "logger-tunel", "valid_from": "2026-06-30", "station": "tunel/a", "holds": 4096, "every_min": 60,
             "read_out": "2026-06-30", "who": OTHER, "note": "the one without a radio"},
        ],
        "bench_readings": _bench(),
        "comparisons": [
            {"key": "almonds", "block": "norte-2", "advised": "norte-1", "first_day": "2026-05-04",
             "note": "Norte 2, third leaf, watered along with its neighbour as always"},
        ],
        "procedure_runs": [_finding_out()],
    }  # fmt: skip


def _bench() -> list[Document]:
    readings = (
        ("air", 3.3, "2026-02-14", [818.0, 820.0, 819.0]), ("air", 5.0, "2026-02-14", [822.0, 821.0, 823.0]),
        ("water", 3.3, "2026-02-14", [396.0, 399.0, 398.0]), ("water", 5.0, "2026-02-14", [381.0, 380.0, 383.0]),
        ("water", 5.0, "2026-02-21", [384.0, 383.0, 385.0]),
    )  # fmt: skip
    return [
        {"key": f"l2-1-{n}", "sensor": "l2-1", "batch": "lote-2", "medium": medium, "supply_v": volts, "on": on,
         "readings": values}
        for n, (medium, volts, on, values) in enumerate(readings)
    ]  # fmt: skip


def _finding_out() -> Document:
    steps = {
        "stub:label": "nothing on it, two bare wires",
        "stub:kind": "granular matrix",
        "stub:answers": 64.0,
        "stub:wet_cloth": 9.0,
    }
    done = {
        id_: {"value": value, "at": f"2026-06-02T09:{n:02d}", "who": OTHER}
        for n, (id_, value) in enumerate(steps.items())
    }
    return {"key": "find-olivar-v", "procedure": "find-out", "station": "olivar/v", "started": "2026-06-02T09:00",
            "closed": None, "done": done}  # fmt: skip
