"""Which way a controller is reached: over HTTP, or through a broker."""

from urllib.parse import urlsplit

from embalse.services.acting.broker_controller import SCHEME, BrokerController
from embalse.services.acting.controller import Controller

Device = Controller | BrokerController


def controller_at(url: str, token: str) -> Device:
    """The controller at an address, ``http://…`` or ``mqtt://HOST:PORT/TOPIC``."""
    return BrokerController(url, token) if urlsplit(url).scheme == SCHEME else Controller(url, token)
