"""A real broker (mosquitto, from Debian's packages) on a free port of this machine, that keeps what is on its way."""

import getpass
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import Any

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

PATIENCE_S = 20.0


def free_port() -> int:
    """A port nobody listens on now."""
    with socket.socket() as asked:
        asked.bind(("127.0.0.1", 0))
        return int(asked.getsockname()[1])


def until(done: Callable[[], object], patience_s: float = PATIENCE_S) -> bool:
    """Wait until something holds; returns whether it did."""
    end = time.monotonic() + patience_s
    while time.monotonic() < end:
        if done():
            return True
        time.sleep(0.02)
    return bool(done())


class Broker:
    """The broker as a process; it can be stopped and started again, and keeps sessions and messages meanwhile."""

    def __init__(self, folder: Path) -> None:
        self.port = free_port()
        self._folder = folder
        self._process: subprocess.Popen[bytes] | None = None
        folder.mkdir(parents=True, exist_ok=True)
        lines = [f"listener {self.port} 127.0.0.1", "allow_anonymous true", "persistence true",
                 f"persistence_location {folder}/", "max_queued_messages 100000", "log_type error",
                 f"user {getpass.getuser()}"]  # fmt: skip
        (folder / "broker.conf").write_text("\n".join(lines) + "\n")

    def start(self) -> None:
        """Start it and wait until it listens; raises FileNotFoundError where it is not installed."""
        program = shutil.which("mosquitto", path="/usr/sbin:/usr/bin:/usr/local/sbin")
        if program is None:
            raise FileNotFoundError("mosquitto, from Debian's packages")
        command = [program, "-c", str(self._folder / "broker.conf")]
        self._process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        assert until(self._listens), "the broker does not start"

    def stop(self) -> None:
        """Stop it; what is on its way is kept on the disk."""
        if self._process is not None:
            self._process.send_signal(signal.SIGTERM)
            self._process.wait()
            self._process = None

    def _listens(self) -> bool:
        with socket.socket() as asked:
            return asked.connect_ex(("127.0.0.1", self.port)) == 0

    def __enter__(self) -> "Broker":
        self.start()
        return self

    def __exit__(self, kind: type[BaseException] | None, wrong: BaseException | None, at: TracebackType | None) -> None:
        self.stop()


class Device:
    """A device that publishes with at least once, and again until the broker has it."""

    def __init__(self, port: int, name: str = "device") -> None:
        self.client = mqtt.Client(
            CallbackAPIVersion.VERSION2, client_id=name, clean_session=False, protocol=mqtt.MQTTv311
        )
        self.client.reconnect_delay_set(1, 1)
        self.client.max_queued_messages_set(0)
        self._sent, self._out = 0, 0
        self.client.on_publish = self._is_out
        self.client.connect_async("127.0.0.1", port)
        self.client.loop_start()

    def send(self, topic: str, payload: str | bytes) -> None:
        """Publish; it is sent when the broker is there."""
        self._sent += 1
        self.client.publish(topic, payload, qos=1)

    def _is_out(self, *_: Any) -> None:
        self._out += 1

    def all_sent(self, patience_s: float = PATIENCE_S) -> bool:
        """Whether the broker has everything, after a while."""
        return until(lambda: self._out >= self._sent, patience_s)

    def stop(self) -> None:
        """Disconnect."""
        self.client.disconnect()
        self.client.loop_stop()


def heard_by(port: int, topic: str) -> tuple[mqtt.Client, list[Any]]:
    """A client that listens to a topic, and what it heard so far."""
    found: list[Any] = []
    client = mqtt.Client(CallbackAPIVersion.VERSION2, protocol=mqtt.MQTTv311)
    client.on_message = lambda _c, _d, message: found.append((message.topic, message.payload))
    client.on_connect = lambda c, *_: c.subscribe(topic, 1)
    client.connect("127.0.0.1", port)
    client.loop_start()
    return client, found
