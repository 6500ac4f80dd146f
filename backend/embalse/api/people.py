"""Signing in, the farm's people, and who changed what."""

import contextlib
import json
import secrets
from typing import Annotated

from flask import Response, current_app, request
from flask_openapi3 import APIBlueprint
from flask_wtf.csrf import generate_csrf
from pydantic import Field, StringConstraints

from embalse.api.answers import FAULTS, answer
from embalse.api.limits import limiter
from embalse.api.schemas import ErrorOut, In, Out
from embalse.api.signing import here, sign_off, somebody
from embalse.api.signing import sign_in as open_session
from embalse.services.admin import change_log, people
from embalse.services.schema.base import Name
from embalse.store.changes import Actor, act_as
from embalse.store.errors import Unauthorized
from embalse.store.people import anybody

people_api = APIBlueprint("people", __name__, url_prefix="/api")

TRIES_OF_A_NAME = "10 per 10 minutes"
TRIES_OF_AN_ADDRESS = "40 per 10 minutes"
TOO_MANY = "too many tries; wait ten minutes and try again"
SIGNING = {**FAULTS, "429": ErrorOut}
Code = Annotated[str, StringConstraints(min_length=1, max_length=100)]


class SessionOut(Out):
    """Who is signed in, what they may do, and the token their pages send with every write.

    ``first_run`` says nobody is there yet: the farm's owner is to be made.
    """

    first_run: bool
    person: people.PersonOut | None
    may: list[str]
    csrf_token: str


class SignInBody(In):
    """Name and password."""

    sign_in: Annotated[str, StringConstraints(max_length=200)]
    password: people.Password


class OwnerIn(In):
    """The farm's first owner; the code is the one the server printed when it started."""

    code: Code
    sign_in: people.SignIn
    name: Name
    password: people.Password


class AcceptIn(In):
    """The code of an invitation and the password to set."""

    code: Code
    password: people.Password


class PersonPath(In):
    """A person by number."""

    id: int = Field(ge=1, le=2**53)


class ChangesQuery(In):
    """Which lines: older than one, about a thing and what belongs to it, by a person."""

    before: int | None = Field(None, ge=1, le=2**53)
    about: Annotated[str, StringConstraints(max_length=200)] = ""
    who: Annotated[str, StringConstraints(max_length=80)] = ""


def _name_tried() -> str:
    """A name as tried from an address: strangers who guess it do not lock its owner out at home."""
    body = request.get_json(silent=True)
    if isinstance(body, str):  # JSON within JSON is read as what is in it, so it is counted so too
        with contextlib.suppress(ValueError):
            body = json.loads(body)
    name = body.get("sign_in") if isinstance(body, dict) else None
    return f"name {str(name).strip().lower()[:80]} from {request.remote_addr}"


def _address() -> str:
    return f"address {request.remote_addr}"


def _failed(response: Response) -> bool:
    return response.status_code in (401, 404)


def _session() -> Response:
    person = here()
    return answer(
        SessionOut(
            first_run=person is None and not anybody(),
            person=None if person is None else people.person_out(person),
            may=[] if person is None else people.rights(person.role),
            csrf_token=generate_csrf(),
        )
    )


@people_api.get("/session", responses={"200": SessionOut}, operation_id="session")
def session_() -> Response:
    """Who is signed in; the demonstration signs its manager in by itself."""
    person = here()
    if person is not None:
        people.note_seen(person)
    return _session()


@people_api.post("/session", responses={"200": SessionOut, **SIGNING}, operation_id="signIn")
@limiter.limit(TRIES_OF_A_NAME, key_func=_name_tried, deduct_when=_failed, error_message=TOO_MANY)
@limiter.limit(TRIES_OF_AN_ADDRESS, key_func=_address, deduct_when=_failed, error_message=TOO_MANY)
def sign_in(body: SignInBody) -> Response:
    """Sign in with name and password."""
    open_session(people.authenticate(body.sign_in, body.password))
    return _session()


@people_api.delete("/session", responses={"200": SessionOut, **FAULTS}, operation_id="signOut")
def sign_out() -> Response:
    """Sign out on this device."""
    sign_off()
    return _session()


@people_api.patch("/session", responses={"200": SessionOut, **SIGNING}, operation_id="changeOwn")
@limiter.limit(TRIES_OF_AN_ADDRESS, key_func=_address, deduct_when=_failed, error_message=TOO_MANY)
def change_own(body: people.OwnChange) -> Response:
    """Change one's own name, units, language or password."""
    open_session(people.change_own(somebody().id, body))
    return _session()


@people_api.post("/people/first", responses={"200": SessionOut, **SIGNING}, operation_id="makeOwner")
@limiter.limit(TRIES_OF_AN_ADDRESS, key_func=_address, deduct_when=_failed, error_message=TOO_MANY)
def make_owner(body: OwnerIn) -> Response:
    """Make the farm's first owner, once, with the code the server printed."""
    wanted = current_app.config["EMBALSE_FIRST_CODE"]
    if not secrets.compare_digest(body.code.strip().encode(), wanted.encode()):
        raise Unauthorized("code", "this is not the code the server printed when it started")
    open_session(people.first_owner(body.sign_in, body.name, body.password))
    return _session()


@people_api.post("/invitations", responses={"200": SessionOut, **SIGNING}, operation_id="acceptInvitation")
@limiter.limit(TRIES_OF_AN_ADDRESS, key_func=_address, deduct_when=_failed, error_message=TOO_MANY)
def accept(body: AcceptIn) -> Response:
    """Set one's password with the code of an invitation, and be signed in."""
    person = people.accept_invitation(body.code, body.password)
    act_as(Actor(person.name, person.role, person.id))
    open_session(person)
    return _session()


@people_api.get("/people", responses={"200": people.PeopleContent, **FAULTS}, operation_id="people")
def all_people() -> Response:
    """Everybody, and the roles there are."""
    return answer(people.people_content())


@people_api.post("/people", responses={"200": people.Invitation, **FAULTS}, operation_id="invite")
def invite(body: people.NewPerson) -> Response:
    """Make a person and their invitation; its code is shown this once."""
    return answer(people.invite(body))


@people_api.patch("/people/<int:id>", responses={"200": people.PersonOut, **FAULTS}, operation_id="changePerson")
def change_person(path: PersonPath, body: people.PersonChange) -> Response:
    """Change a person's name or role, or that they left."""
    return answer(people.change_person(path.id, body))


@people_api.post(
    "/people/<int:id>/invitation", responses={"200": people.Invitation, **FAULTS}, operation_id="inviteAgain"
)
def invite_again(path: PersonPath) -> Response:
    """A fresh invitation, also to set a forgotten password."""
    return answer(people.invite_again(path.id))


@people_api.get("/changes", responses={"200": change_log.ChangesContent, **FAULTS}, operation_id="changes")
def changes(query: ChangesQuery) -> Response:
    """Who changed what and when, newest first."""
    return answer(change_log.changes_content(query.before, query.about, query.who))
