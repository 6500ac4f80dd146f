"""Ten thousand requests, made from the document of the interface, against the demonstration's farm as it changes.

Each case comes from an operation's schema, or breaks it; path and query then get keys that are really there, or that an
earlier answer gave out, and moments at the edges of the calendar. What a case does stays for those after it.
"""

import os
import random
import tempfile
import time
import warnings
from collections import Counter, defaultdict
from collections.abc import Iterator
from itertools import count
from pathlib import Path
from typing import Any, Final

import schemathesis
from hypothesis import HealthCheck, Phase, given, seed
from hypothesis import settings as hypothesis_settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import response_schema_conformance, status_code_conformance

from bench.timing import line
from embalse.api.limits import limiter
from embalse.app import create_app
from embalse.config import Settings
from embalse.services.admin.people import make_demo_people
from embalse.services.intake import telemetry
from embalse.standins.demo import ensure_demo
from embalse.store import models
from embalse.store.database import database

CASES, ROUNDS = 10_000, 6
CHECKS: Final = [not_a_server_error, response_schema_conformance, status_code_conformance]
EDGES: Final = [
    "1970-01-01T00:00", "1969-12-31T23:59", "2100-01-01T00:00", "2100-01-01T00:01", "2099-12-31T23:59+14:00",
    "1970-01-01T00:00-14:00", "0001-01-01T00:00", "9999-12-31T23:59", "2026-03-29T02:30", "2026-10-25T02:30",
    "2024-02-29", "2026-02-29", "2026-07-14T06:00", "2026-07-14", "2026-07-13T23:59:59Z", "1970-01-01", "2100-12-31",
]  # fmt: skip
"""Moments at the edges: of the calendar taken, of hours that come twice or never, of leap days, and about the demo."""
DATES: Final = ("as_of", "at", "start", "end", "day", "date", "from", "until", "moment", "since", "upto", "month")


ELSEWHERE: Final = ("/api/demo",)
"""What sends to a server that listens, which there is none of here."""


class Known:
    """Keys that are really there, by the name a parameter asks for them with; answers add to them."""

    def __init__(self) -> None:
        self.by_name: dict[str, list[str]] = defaultdict(list)
        blocks = [b.key for b in models.Block.select()]
        stations = [f"{s.block.key}/{s.key}" for s in models.Station.select()]
        sensors = [f"{s.station.block.key}/{s.station.key}/{s.key}" for s in models.Sensor.select()]
        self.by_name.update(
            key=blocks + [s.key for s in models.Station.select()] + [s.key for s in models.Soil.select()],
            block=blocks, station=stations, sensor=sensors, ref=blocks + stations + sensors,
        )  # fmt: skip

    def learn(self, found: Any, depth: int = 0) -> None:
        """Take keys, ids and tokens from an answer."""
        if depth > 6:
            return
        if isinstance(found, dict):
            for name, value in found.items():
                if isinstance(value, str | int) and not isinstance(value, bool) and len(str(value)) < 80:
                    if name in {"token", "id", "key", "job_id", "name", "ref", "sensor", "station", "block"}:
                        self._add(name, str(value))
                else:
                    self.learn(value, depth + 1)
        elif isinstance(found, list):
            for one in found[:20]:
                self.learn(one, depth + 1)

    def _add(self, name: str, value: str) -> None:
        there = self.by_name[name]
        if value not in there:
            there.append(value)
            if len(there) > 200:
                del there[0]

    def one(self, name: str, chance: random.Random) -> str | None:
        """A key for a parameter of a name, None where none is known."""
        pool = self.by_name.get(name) or self.by_name.get(name.split("_", maxsplit=1)[0]) or self.by_name["key"]
        return chance.choice(pool) if pool else None


def main() -> None:
    """Print how many answers were faults, or not those the document names."""
    cases = int(os.environ.get("EMBALSE_BENCH_CASES", str(CASES)))
    with tempfile.TemporaryDirectory() as folder, warnings.catch_warnings():
        warnings.simplefilter("ignore")
        chosen = Settings(data=folder)
        ensure_demo(Path(folder), chosen.database, reset=False, say=lambda _: None)
        run = _Run(chosen)
        begun = time.perf_counter()
        run.go(cases)
        database.close()
    line(f"requests to {len(run.operations)} operations ({time.perf_counter() - begun:.0f} s)", str(run.sent), "none")
    line("  answers by their first digit", " ".join(f"{k}xx: {n}" for k, n in sorted(run.answers.items())), "none")
    line("  server errors", str(run.faults), "0")
    line("  answers the document does not name", str(run.undocumented), "0")
    for what, times in run.said.most_common(30):
        print(f"    {times} × {what}")


class _Run:
    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.app = create_app(settings)
        self.known = Known()
        self.chance = random.Random(20260714)
        self.device = telemetry.register("bench", "", [])
        self.schema = schemathesis.openapi.from_wsgi("/openapi.json", self.app)
        self.operations = [r.ok() for r in self.schema.get_all_operations() if not r.ok().path.startswith(ELSEWHERE)]
        self.sent = self.faults = self.undocumented = 0
        self.answers: Counter[int] = Counter()
        self.said: Counter[str] = Counter()
        self._sign_in()

    def _sign_in(self) -> None:
        limiter.reset()
        client = self.app.test_client()
        found = client.get("/api/session").json or {}
        if not found.get("person"):
            make_demo_people([(f"bench{self.sent}", f"Bench {self.sent}", "owner", True)])
            client = self.app.test_client()
            found = client.get("/api/session").json or {}
        self.token = found.get("csrf_token", "")
        self.cookies = {c.key: c.value for c in client._cookies.values()}

    def go(self, cases: int) -> None:
        each = max(1, cases // (len(self.operations) * ROUNDS) + 1)
        for round_ in count():
            for operation in self._shuffled():
                if self.sent >= cases:
                    return
                self._some(operation, each, round_, cases)

    def _shuffled(self) -> Iterator[Any]:
        order = list(self.operations)
        self.chance.shuffle(order)
        return iter(order)

    def _some(self, operation: Any, each: int, round_: int, cases: int) -> None:
        @seed(round_ * 7919 + hash(operation.path) % 1000)
        @hypothesis_settings(
            max_examples=each, deadline=None, suppress_health_check=list(HealthCheck), database=None,
            phases=[Phase.generate],
        )  # fmt: skip
        @given(case=operation.as_strategy())
        def send(case: Any) -> None:
            if self.sent < cases:
                self._send(case)

        send()

    def _send(self, case: Any) -> None:
        limiter.reset()
        self._with_real_keys(case)
        headers = {"X-CSRF-Token": self.token}
        if "ingest" in case.operation.path:
            headers["Authorization"] = f"Bearer {self.device}"
        name = f"{case.method} {case.operation.path}"
        self.sent += 1
        try:
            answer = case.call(headers=headers, cookies=self.cookies)
        except Exception as trouble:
            self.faults += 1
            self.said[f"{name}: {type(trouble).__name__}: {str(trouble)[:160]}"] += 1
            return
        self.answers[answer.status_code // 100] += 1
        if answer.status_code >= 500:
            self.faults += 1
            self.said[f"{name}: {answer.status_code} {answer.text[:160]!r}"] += 1
        try:
            case.validate_response(answer, checks=CHECKS[1:])
        except BaseException as trouble:
            self.undocumented += 1
            self.said[f"{name}: {answer.status_code} {' '.join(str(trouble).split())[:300]}"] += 1
        if answer.status_code < 300 and "json" in str(answer.headers.get("content-type", "")):
            self.known.learn(answer.json())
        if answer.status_code == 401 or case.operation.path.endswith(("session", "sign-out", "sign_out")):
            self._sign_in()

    def _with_real_keys(self, case: Any) -> None:
        for values in (case.path_parameters, case.query):
            for name in list(values or {}):
                self._place(values, name)
        if isinstance(case.body, dict):
            self._in_body(case.body, 0)

    def _place(self, values: Any, name: str) -> None:
        if any(name == d or name.endswith(f"_{d}") for d in DATES):
            if self.chance.random() < 0.6:
                values[name] = self.chance.choice(EDGES)
        elif isinstance(values[name], str) and self.chance.random() < 0.75:
            values[name] = self.known.one(name, self.chance) or values[name]

    def _in_body(self, body: dict[str, Any], depth: int) -> None:
        for name, value in list(body.items()):
            if isinstance(value, dict) and depth < 5:
                self._in_body(value, depth + 1)
            elif isinstance(value, list) and depth < 5:
                for one in value:
                    if isinstance(one, dict):
                        self._in_body(one, depth + 1)
            elif isinstance(value, str):
                if any(name == d or name.endswith(f"_{d}") for d in DATES):
                    if self.chance.random() < 0.5:
                        body[name] = self.chance.choice(EDGES)
                elif name in self.known.by_name and self.chance.random() < 0.6:
                    body[name] = self.known.one(name, self.chance)


if __name__ == "__main__":
    main()
