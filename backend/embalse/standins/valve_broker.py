"""A simulated valve controller behind a broker: hears questions on one topic and answers on another.

It hands each on to the stand-in that speaks HTTP, so that both do exactly the same.
"""

import json
import urllib.error
import urllib.request
from typing import Any, Final
from urllib.parse import quote

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

PATHS: Final = {"state": "/v1/state", "log": "/v1/log", "command": "/v1/commands", "stop-all": "/v1/stop-all"}


class ValveBroker:
    """Answers at a topic of a broker for the stand-in at an HTTP address."""

    def __init__(self, broker: tuple[str, int], topic: str, url: str) -> None:
        self._topic, self._url = topic, url
        self._client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id=f"valves-{topic}", protocol=mqtt.MQTTv311)
        self._client.on_connect = lambda c, *_: c.subscribe(f"{topic}/ask", 1)
        self._client.on_message = self._heard
        self._client.connect_async(*broker)

    def start(self) -> None:
        """Begin to listen."""
        self._client.loop_start()

    def stop(self) -> None:
        """Stop listening."""
        self._client.disconnect()
        self._client.loop_stop()

    def _heard(self, client: mqtt.Client, _data: Any, message: mqtt.MQTTMessage) -> None:
        asked = json.loads(message.payload)
        path = PATHS.get(asked["ask"])
        status, body = (404, {"reason": "no such question"}) if path is None else self._passed_on(path, asked)
        answer = {"question": asked["question"], "status": status, "body": body}
        client.publish(f"{self._topic}/answer", json.dumps(answer), qos=1)

    def _passed_on(self, path: str, asked: dict[str, Any]) -> tuple[int, Any]:
        if "after" in asked:
            path += f"?after={quote(str(asked['after']))}"
        data = json.dumps(asked["body"]).encode() if "body" in asked else None
        headers = {"Authorization": f"Bearer {asked.get('token', '')}", "Content-Type": "application/json"}
        request = urllib.request.Request(self._url + path, data, headers, method="POST" if data else "GET")
        try:
            with urllib.request.urlopen(request, timeout=5) as told:
                return int(told.status), json.loads(told.read())
        except urllib.error.HTTPError as refusal:
            text = refusal.read().decode("utf-8", "replace")
            return refusal.code, json.loads(text) if text.startswith("{") else {"reason": text[:200]}
        except OSError:
            return 503, {"reason": "the controller is not reached"}
