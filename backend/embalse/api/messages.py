"""A person's messages: what they want to be told by mail, and what they were told."""

from flask import Response
from flask_openapi3 import APIBlueprint

from embalse.api.answers import FAULTS, answer, settings
from embalse.api.signing import somebody
from embalse.services.messages.own import MessageChoice, MessagesContent, choose, messages_content, trial

messages_api = APIBlueprint("messages", __name__, url_prefix="/api")


def _own() -> Response:
    return answer(messages_content(somebody().id, bool(settings().mail_host)))


@messages_api.get("/messages", responses={"200": MessagesContent, **FAULTS}, operation_id="messages")
def own() -> Response:
    """Own messages, the newest first, and what somebody wants to be told."""
    return _own()


@messages_api.post("/messages/choice", responses={"200": MessagesContent, **FAULTS}, operation_id="chooseMessages")
def chosen(body: MessageChoice) -> Response:
    """Choose what to be told, by which address and when."""
    choose(somebody().id, body)
    return _own()


@messages_api.post("/messages/trial", responses={"200": MessagesContent, **FAULTS}, operation_id="tryMessages")
def tried() -> Response:
    """Send a message to oneself, to see that it arrives."""
    trial(somebody().id, settings().address)
    return _own()
