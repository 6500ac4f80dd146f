"""Readings from a broker: taken in batches, acknowledged once they are on the disk, so that nothing is lost."""

import json
import logging
import queue
import ssl
import threading
import time
from collections.abc import Callable
from typing import Any, Final

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from embalse.config import Settings
from embalse.services import helpers
from embalse.services.acting.lines import accept_lines
from embalse.services.intake import telemetry
from embalse.services.load import clock
from embalse.services.mqtt.payloads import Message, NotUnderstood, SentBatch, understood
from embalse.services.schema.payload_maps import PayloadMapPart
from embalse.store import gateways as gateway_store
from embalse.store import imports as import_store
from embalse.store import records as record_store
from embalse.store.database import FILE_TROUBLE, connection, transaction
from embalse.store.errors import Conflict
from embalse.store.rows import GatewayRow

log = logging.getLogger("embalse")
HELPER: Final = "readings from the broker"
AT_LEAST_ONCE: Final = 1
TOGETHER: Final = 100  # messages stored in one transaction at the most (ours)
WAITING: Final = 1000  # messages held before the broker is to wait (ours)
AGAIN_S: Final = 1.0
MAPS_EVERY_S: Final = 15.0  # seconds after which maps entered since are listened to (ours)
KEPT_TEXT: Final = 300
Arrived = mqtt.MQTTMessage


class BrokerIntake:
    """Keeps a session at a broker and stores what arrives; a message is acknowledged after it is stored.

    What cannot be stored now (the disk is full, another writer is busy) is tried again and held meanwhile: the broker
    keeps the rest. What is not understood is acknowledged, and kept among the refusals of the day with its reason.
    """

    def __init__(self, settings: Settings, changed: Callable[[], None] = lambda: None) -> None:
        self._prefix = settings.mqtt_prefix
        self._waiting: queue.Queue[Arrived] = queue.Queue(WAITING)
        self._stop = threading.Event()
        self._changed = changed
        self._topics: set[str] = set()
        self.listening = threading.Event()
        """Set once the broker knows what we listen to: from then on it keeps for us what comes while we are away."""
        self._client = client_of(settings, f"embalse-{settings.mqtt_prefix}", manual=True)
        self._client.on_connect = self._connected
        self._client.on_connect_fail = self._away
        self._client.on_disconnect = self._gone
        self._client.on_subscribe = lambda *_: self.listening.set()
        self._client.on_message = lambda _client, _data, message: self._waiting.put(message)
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        """Begin; a broker that is away is asked again."""
        self._client.loop_start()
        self._thread.start()

    def stop(self) -> None:
        """Stop; what was not acknowledged comes again."""
        self._stop.set()
        self._thread.join()
        self._client.disconnect()
        self._client.loop_stop()

    def _away(self, _client: mqtt.Client, _data: Any) -> None:
        helpers.failed(HELPER, OSError(None, "the broker is not reached"))

    def _connected(self, _client: mqtt.Client, _data: Any, _flags: Any, reason: Any, _properties: Any) -> None:
        if reason.is_failure:
            helpers.failed(HELPER, OSError(None, f"the broker does not let us in: {reason}"))
            return
        self._topics = set()
        self._subscribe()
        helpers.well(HELPER)

    def _subscribe(self) -> None:
        """Listen to our own topics and those of the maps, those entered since the last time too."""
        with connection():
            wanted = {f"{self._prefix}/+/readings", *(m.topic for m in payload_maps())}
        new = wanted - self._topics
        if new and self._client.is_connected():
            self._client.subscribe([(topic, AT_LEAST_ONCE) for topic in sorted(new)])
            self._topics |= new

    def _gone(self, _client: mqtt.Client, _data: Any, _flags: Any, reason: Any, _properties: Any) -> None:
        if not self._stop.is_set():
            helpers.failed(HELPER, OSError(None, f"the broker is not reached: {reason}"))

    def _look_at_maps(self) -> None:
        try:
            self._subscribe()
        except FILE_TROUBLE as trouble:  # looked at again
            log.warning("broker: maps were not looked at: %s", trouble)

    def _run(self) -> None:
        looked = time.monotonic()
        while not self._stop.is_set():
            try:
                first = self._waiting.get(timeout=0.2)
            except queue.Empty:
                if time.monotonic() - looked > MAPS_EVERY_S:
                    looked = time.monotonic()
                    self._look_at_maps()
                continue
            together = [first]
            while len(together) < TOGETHER and not self._waiting.empty():
                together.append(self._waiting.get_nowait())
            self._keep(together)

    def _keep(self, messages: list[Arrived]) -> None:
        """Store messages until it goes well, then acknowledge them."""
        while not self._stop.is_set():
            try:
                with connection():
                    reports = store_messages([(m.topic, m.payload) for m in messages], self._prefix)
            except (*FILE_TROUBLE, Conflict, OSError) as trouble:
                log.warning("broker: not stored yet: %s", trouble)
                helpers.failed(HELPER, trouble)
                time.sleep(AGAIN_S)
                continue
            except Exception as trouble:  # one message must not stop the others: each is taken by itself
                log.exception("broker: a message could not be taken")
                helpers.failed(HELPER, trouble)
                if len(messages) == 1:
                    self._client.ack(messages[0].mid, messages[0].qos)
                    return
                for one in messages:
                    self._keep([one])
                return
            for message in messages:
                self._client.ack(message.mid, message.qos)
            for gateway, report in reports.items():
                self._client.publish(f"{self._prefix}/{gateway}/answers", json.dumps(report), qos=0)
            helpers.well(HELPER)
            self._changed()
            return


def client_of(settings: Settings, name: str, manual: bool = False) -> mqtt.Client:
    """A client of the broker of the settings, which connects by itself once its loop runs; its session is kept."""
    client = mqtt.Client(
        CallbackAPIVersion.VERSION2, client_id=name, clean_session=False, protocol=mqtt.MQTTv311, manual_ack=manual
    )
    if settings.mqtt_user:
        client.username_pw_set(settings.mqtt_user, settings.mqtt_password)
    if settings.mqtt_tls:
        client.tls_set_context(ssl.create_default_context())
    client.reconnect_delay_set(1, 60)
    client.connect_async(settings.mqtt_host, settings.mqtt_port)
    return client


def payload_maps() -> list[PayloadMapPart]:
    """Maps of messages that are entered."""
    return [PayloadMapPart.model_validate_json(r.body) for r in record_store.records("payload_maps")]


def store_messages(messages: list[tuple[str, bytes]], prefix: str) -> dict[str, dict[str, int]]:
    """Store what messages (topic, payload) hold; the same again changes nothing. Returns what became of it by gateway.

    What is not understood, or names a gateway that is not there, is kept among the day's refusals.
    """
    maps = payload_maps()
    gateways = {g.key: g for g in gateway_store.gateways() if g.revoked_at is None}
    taken: dict[str, list[SentBatch]] = {}
    refused: list[tuple[str, str, bytes]] = []
    for topic, payload in messages:
        try:
            message: Message = understood(topic, payload, prefix, maps)
        except NotUnderstood as why:
            refused.append((topic, str(why), payload))
            continue
        if message.gateway not in gateways:
            refused.append((topic, f"there is no gateway '{message.gateway}', or it was revoked", payload))
            continue
        taken.setdefault(message.gateway, []).append(message.batch)
    reports = {key: _take(gateways[key], batches) for key, batches in taken.items()}
    if refused:
        _keep_refused(refused)
    return reports


def _take(gateway: GatewayRow, batches: list[SentBatch]) -> dict[str, int]:
    readings = [r for batch in batches for r in batch.readings]
    said = {name: next((v for b in reversed(batches) if (v := getattr(b, name)) is not None), None)
            for name in ("battery_v", "signal_dbm")}  # fmt: skip
    found = {"new": 0, "known": 0, "refused": 0}
    for n in range(0, max(len(readings), 1), telemetry.LARGEST_BATCH):
        part = readings[n : n + telemetry.LARGEST_BATCH]
        report = telemetry.accept(gateway, part, said["battery_v"], said["signal_dbm"])
        found = {name: found[name] + getattr(report, name) for name in found}
        if report.refusals:
            told = [(r.index, r.channel, r.reason, "") for r in report.refusals]
            with transaction():
                import_store.keep_refusals(_day_job(f"broker {gateway.key}"), told)
    lines = [line for batch in batches for line in batch.lines]
    if lines:
        accept_lines(lines, telemetry.stations_of(gateway))
    return found


def _day_job(what: str) -> int:
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    day = time.strftime("%Y-%m-%d", time.gmtime(now))
    return import_store.day_job(f"{what} {day}", now)


def _keep_refused(refused: list[tuple[str, str, bytes]]) -> None:
    with transaction():
        job = _day_job("broker: not understood")
        import_store.add_to_job(job, 0, 0, len(refused))
        rows = [(0, topic[:80], why, payload[:KEPT_TEXT].decode("utf-8", "replace")) for topic, why, payload in refused]
        import_store.keep_refusals(job, rows)
