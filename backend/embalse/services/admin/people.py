"""The farm's people: the first owner, invitations, signing in, and what each may do."""

import hashlib
import secrets
from typing import Annotated, Any, Literal

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from embalse.core.access.names import refused_name
from embalse.core.access.roles import LEAST_ROLE, ROLE_WORDS, ROLES, Role, checked_password, may
from embalse.core.wording.catalogues import Language, language_of
from embalse.services import times
from embalse.services.load.schemas import Content
from embalse.services.reader import Words
from embalse.services.schema.base import Name
from embalse.store import changes, people
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict, NotFound, Unauthorized
from embalse.store.rows import PersonRow

DAY_S = 86400
INVITED_DAYS = 7
SEEN_EVERY_S = 3600
SignIn = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9][A-Za-z0-9._@+-]{1,59}$", strip_whitespace=True)]
Password = Annotated[str, StringConstraints(min_length=1, max_length=400)]
Units = Literal["metric", "us"]

_hasher = PasswordHasher()
_nobody = _hasher.hash(secrets.token_urlsafe(16))  # verified when the name is not known, so that both take as long


class PersonOut(Content):
    """Somebody of the farm; ``cannot sign in`` is never invited, or lapsed; null units are the farm's."""

    id: int
    sign_in: str
    name: str
    role: Role
    units: Units | None
    language: Language
    state: Literal["active", "invited", "cannot sign in", "left"]
    seen: str | None
    by_itself: bool


class RoleOut(Content):
    """A role and what it may do."""

    role: Role
    words: Words


class PeopleContent(Content):
    """Everybody, and the roles there are."""

    people: list[PersonOut]
    roles: list[RoleOut]


class Invitation(Content):
    """A person and the code of their invitation, shown this once."""

    person: PersonOut
    code: str
    days: int


class Wanted(BaseModel):
    """What a person asks for; unknown fields are refused, spaces are kept."""

    model_config = ConfigDict(extra="forbid", defer_build=True)


class NewPerson(Wanted):
    """Somebody to invite."""

    sign_in: SignIn
    name: Name
    role: Role


class PersonChange(Wanted):
    """What to change of a person; what is left out stays."""

    name: Name | None = None
    role: Role | None = None
    left: bool | None = None


class OwnChange(Wanted):
    """What a person changes of their own account; a new password asks for the old one."""

    name: Name | None = None
    units: Units | None = None
    language: Language | None = Field(None, description="read from the next page on")
    farm_units: bool = Field(False, description="go back to the farm's units")
    old_password: Password | None = None
    password: Password | None = None


def rights(role: str) -> list[str]:
    """Kinds of change a role may make."""
    return [what for what in LEAST_ROLE if may(as_role(role), what)]


def as_role(text: str) -> Role:
    """A stored role; what is not known may only look."""
    return next((role for role in ROLES if role == text), "viewer")


def first_owner(sign_in: str, name: str, password: str) -> PersonRow:
    """The first person of a farm, its owner.

    Raises
    ------
    Conflict
        If somebody is there already.
    WeakPassword
        If the password will not do.
    """
    hashed = _hasher.hash(checked_password(password, sign_in))
    refused_name(name, [])
    with transaction():
        if people.anybody():
            raise Conflict("owner", "the farm has its owner already: sign in, or ask for an invitation")
        with changes.acting(changes.Actor(name, "owner")):
            made = people.create(_new(sign_in, name, "owner") | {"password_hash": hashed})
        return people.person(made)


def make_demo_people(persons: list[tuple[str, str, Role, bool]]) -> None:
    """People of the demonstration, without passwords: sign-in name, name, role, whether signed in by itself."""
    with transaction():
        for sign_in, name, role, by_itself in persons:
            people.create(_new(sign_in, name, role) | {"by_itself": by_itself})


def _new(sign_in: str, name: str, role: Role) -> dict[str, Any]:
    key = secrets.token_urlsafe(12)
    return {"sign_in": sign_in, "name": name, "role": role, "session_key": key, "created_at": times.now_utc()}


def invite(new: NewPerson) -> Invitation:
    """Make a person and their invitation; raises Conflict when the sign-in name is taken."""
    with transaction():
        refused_name(new.name, _names_of_others(None))
        made = people.create(_new(new.sign_in, new.name, new.role))
    return invite_again(made)


def invite_again(person_id: int) -> Invitation:
    """A fresh invitation, also to set a forgotten password; an older one opens nothing any more. Raises NotFound."""
    code = secrets.token_urlsafe(24)
    with transaction():
        row = people.person(person_id)
        if row.left_at is not None:
            raise Conflict("person", f"{row.name} has left: bring them back first")
        until = times.now_utc() + DAY_S * INVITED_DAYS
        people.change(person_id, {"invite_hash": _digest(code), "invite_until": until})
        return Invitation(person=_out(people.person(person_id)), code=code, days=INVITED_DAYS)


def accept_invitation(code: str, password: str) -> PersonRow:
    """Set a person's password with the code of their invitation; sessions opened before are closed.

    Raises
    ------
    NotFound
        If the code is not known, used or lapsed.
    WeakPassword
        If the password will not do.
    """
    row = people.by_invitation(_digest(code), times.now_utc())
    if row is None:
        raise NotFound("code", "this invitation is used or lapsed; ask the farm's owner for another")
    hashed = _hasher.hash(checked_password(password, row.sign_in))
    with transaction(), changes.acting(actor_of(row)):
        if people.by_invitation(_digest(code), times.now_utc()) is None:
            raise NotFound("code", "this invitation is used or lapsed; ask the farm's owner for another")
        values = {"password_hash": hashed, "invite_hash": None, "invite_until": None, **_closed_sessions()}
        people.change(row.id, values)
        return people.person(row.id)


def authenticate(sign_in: str, password: str) -> PersonRow:
    """The person with this name and password; raises Unauthorized, which does not say which of the two is wrong."""
    row = people.by_sign_in(sign_in)
    stored = row.password_hash if row is not None and row.left_at is None else None
    try:
        _hasher.verify(stored or _nobody, password)
    except VerificationError:
        stored = None
    if row is None or stored is None:
        raise Unauthorized("sign_in", "the name or the password is not right")
    with transaction():
        people.seen(row.id, times.now_utc())
        if _hasher.check_needs_rehash(stored):
            with changes.acting(actor_of(row)):
                people.change(row.id, {"password_hash": _hasher.hash(password)})
    return row


def signed_in(person_id: int, session_key: str) -> PersonRow | None:
    """The person of a session, unless they left or their sessions were closed since."""
    try:
        row = people.person(person_id)
    except NotFound:
        return None
    return row if row.left_at is None and secrets.compare_digest(row.session_key, session_key) else None


def end_session(sid: str, lasts_days: float) -> None:
    """End a session for good: a copy of its cookie opens nothing any more."""
    now = times.now_utc()
    with transaction():
        people.end_session(_digest(sid), now + round(DAY_S * lasts_days), now)


def session_ended(sid: str) -> bool:
    """Whether a session was ended by signing out."""
    return people.session_ended(_digest(sid))


def note_seen(row: PersonRow) -> None:
    """Note that a person is here, once an hour; not while an import holds the file."""
    now = times.now_utc()
    if row.seen_at is not None and now - row.seen_at < SEEN_EVERY_S:
        return
    try:
        with transaction():
            people.seen(row.id, now)
    except Conflict:
        return


def change_person(person_id: int, wanted: PersonChange) -> PersonOut:
    """Change a person's name or role, or that they left; raises Conflict when no owner would be left."""
    with transaction():
        row = people.person(person_id)
        _check_name(row, wanted.name)
        values: dict[str, Any] = {n: v for n, v in (("name", wanted.name), ("role", wanted.role)) if v is not None}
        if wanted.left is not None:
            values["left_at"] = (row.left_at or times.now_utc()) if wanted.left else None
            values |= {"invite_hash": None, "invite_until": None, **_closed_sessions()} if wanted.left else {}
        if row.role == "owner" and (wanted.left or wanted.role not in (None, "owner")):
            others = [p for p in people.people() if p.id != row.id and p.role == "owner" and p.left_at is None]
            if not any(p.password_hash for p in others):
                raise Conflict("role", "the farm needs an owner who can sign in: make another first")
        people.change(person_id, values)
        return _out(people.person(person_id))


def change_own(person_id: int, wanted: OwnChange) -> PersonRow:
    """Change one's own name, units, language or password; a new password closes all other sessions.

    Raises
    ------
    Unauthorized
        If the old password is not right.
    WeakPassword
        If the new one will not do.
    """
    row = people.person(person_id)
    asked = {"name": wanted.name, "units": wanted.units, "language": wanted.language}
    values: dict[str, Any] = {name: value for name, value in asked.items() if value is not None}
    if wanted.farm_units:
        values["units"] = None
    if wanted.password is not None:
        if row.by_itself:
            raise Conflict("password", "the demonstration's person has no password")
        try:
            _hasher.verify(row.password_hash or _nobody, wanted.old_password or "")
        except VerificationError as wrong:
            raise Unauthorized("old_password", "this is not the password in force") from wrong
        values["password_hash"] = _hasher.hash(checked_password(wanted.password, row.sign_in))
        values |= _closed_sessions()
    with transaction():
        _check_name(row, wanted.name)
        people.change(person_id, values)
    return people.person(person_id)


def _check_name(row: PersonRow, wanted: str | None) -> None:
    """Refuse a new name that could be taken for another's; the one a person has stays as it is."""
    if wanted is not None and wanted != row.name:
        refused_name(wanted, _names_of_others(row.id))


def _names_of_others(person_id: int | None) -> list[str]:
    return [p.name for p in people.people() if p.id != person_id]


def _closed_sessions() -> dict[str, str]:
    return {"session_key": secrets.token_urlsafe(12)}


def people_content() -> PeopleContent:
    """Everybody, and the roles there are."""
    roles = [RoleOut(role=role, words=ROLE_WORDS[role]) for role in ROLES]
    return PeopleContent(people=[_out(row) for row in people.people()], roles=roles)


def actor_of(row: PersonRow) -> changes.Actor:
    """The person as the one who acts."""
    return changes.Actor(row.name, row.role, row.id)


def person_out(row: PersonRow) -> PersonOut:
    """A person as the pages show them."""
    return _out(row)


def _out(row: PersonRow) -> PersonOut:
    farm = farm_store.farm()
    state: Literal["active", "invited", "cannot sign in", "left"] = "active"
    if row.left_at is not None:
        state = "left"
    elif row.password_hash is None and not row.by_itself:
        invited = row.invite_until is not None and row.invite_until > times.now_utc()
        state = "invited" if invited else "cannot sign in"
    return PersonOut(
        id=row.id,
        sign_in=row.sign_in,
        name=row.name,
        role=as_role(row.role),
        units=None if row.units is None else "us" if row.units == "us" else "metric",
        language=language_of(row.language),
        state=state,
        seen=times.iso(row.seen_at, farm.time_zone if farm else "UTC"),
        by_itself=row.by_itself,
    )


def _digest(code: str) -> str:
    return hashlib.sha256(code.encode()).hexdigest()
