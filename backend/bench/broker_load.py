"""Readings through a broker: rows a second, and what is left after both it and the server were killed twenty times."""

import json
import os
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench import farms
from bench.broker import Broker, Device, until
from bench.timing import line
from embalse.config import Settings
from embalse.services.intake import telemetry
from embalse.services.mqtt.intake import BrokerIntake
from embalse.store.database import database

MESSAGES, READINGS = 200, 500
KILLS = 10
"""Of the server, and as many stops of the broker."""
SMALL = 10
WORKER = """
import sys, threading
from embalse.config import Settings
from embalse.services.mqtt.intake import BrokerIntake
from embalse.store.database import open_database
settings = Settings(data=sys.argv[1], mqtt_host="127.0.0.1", mqtt_port=int(sys.argv[2]))
open_database(settings.database)
BrokerIntake(settings).start()
threading.Event().wait()
"""


def _stored() -> int:
    return int(database.execute_sql("SELECT count(*) FROM reading").fetchone()[0])


def _channels() -> list[str]:
    from embalse.store import farm as farm_store

    return [s.ref for s in farm_store.sensors()]


def main() -> None:
    """Print rows a second, and readings lost or doubled by the kills."""
    _rate()
    _kills()


def _farm(folder: Path) -> tuple[Settings, list[str], int]:
    farms.farm(folder / "embalse.db", 1)
    telemetry.register("bench", "", [])
    return Settings(data=str(folder)), _channels(), _stored()


def _batch(channels: list[str], number: int, count: int) -> str:
    """A message of readings of years nobody has readings of."""
    first = number * count
    readings = [
        {"channel": channels[n % len(channels)], "at": 1_000_000_000 + 900 * (n // len(channels)), "value": 0.25}
        for n in range(first, first + count)
    ]
    return json.dumps({"readings": readings})


def _rate() -> None:
    with tempfile.TemporaryDirectory() as name, Broker(Path(name) / "broker") as broker:
        settings, channels, before = _farm(Path(name))
        running = BrokerIntake(Settings(data=settings.data, mqtt_host="127.0.0.1", mqtt_port=broker.port))
        running.start()
        assert running.listening.wait(20)
        payloads = [_batch(channels, n, READINGS) for n in range(MESSAGES)]
        device = Device(broker.port)
        start = time.perf_counter()
        for payload in payloads:
            device.send("embalse/bench/readings", payload)
        assert until(lambda: _stored() - before == MESSAGES * READINGS, 300)
        seconds = time.perf_counter() - start
        device.stop()
        running.stop()
    rate = f"{MESSAGES * READINGS / seconds:,.0f} rows/s".replace(",", " ")
    line(f"readings through the broker, {MESSAGES} messages of {READINGS}", rate, "none")


def _kills() -> None:
    with tempfile.TemporaryDirectory() as name, Broker(Path(name) / "broker") as broker:
        settings, channels, before = _farm(Path(name))
        command = [sys.executable, "-c", WORKER, settings.data, str(broker.port)]

        def worker() -> "subprocess.Popen[bytes]":
            return subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env={**os.environ})

        running = worker()
        first = Device(broker.port, "first")
        while _stored() == before:  # until it listens
            first.send("embalse/bench/readings", _batch(channels, 0, SMALL))
            time.sleep(1)
        sent = 1
        device = Device(broker.port)
        for kill in range(2 * KILLS):
            for _ in range(20):
                device.send("embalse/bench/readings", _batch(channels, sent, SMALL))
                sent += 1
            time.sleep(0.2)
            if kill % 2:
                broker.stop()
                broker.start()
            else:
                running.send_signal(signal.SIGKILL)
                running.wait()
                running = worker()
        assert device.all_sent(120)
        wanted = sent * SMALL
        until(lambda: _stored() - before >= wanted, 120)
        time.sleep(1)
        found = _stored() - before
        running.kill()
        running.wait()
        device.stop()
        first.stop()
    line(
        f"{KILLS} kills of the server, {KILLS} restarts of the broker: readings lost", str(max(0, wanted - found)), "0"
    )
    line("  readings doubled", str(max(0, found - wanted)), "0")


if __name__ == "__main__":
    main()
