"""Sessions: who is signed in, and whether they may do what they ask for."""

import os
import secrets
from ipaddress import ip_address
from pathlib import Path

from flask import Flask, abort, g, request, session
from flask_login import LoginManager, UserMixin, current_user, login_user, logout_user
from flask_wtf.csrf import CSRFProtect

from embalse.config import Settings
from embalse.core.access.roles import may, refusal
from embalse.core.wording.catalogues import language_of
from embalse.core.wording.quantities import Units
from embalse.services.admin import people
from embalse.services.admin.reading_tokens import reader_of
from embalse.services.intake.telemetry import gateway_of
from embalse.services.reader import read_in
from embalse.store import farm as farm_store
from embalse.store.changes import Actor, act_as
from embalse.store.people import who_signs_in_by_itself
from embalse.store.rows import PersonRow

SESSION_DAYS = 30
LOOKING = ("GET", "HEAD", "OPTIONS")

# Operations that ask for no session: signing in, and devices, which have tokens of their own.
OPEN = frozenset(
    {
        "people.session_",
        "people.sign_in",
        "people.sign_out",
        "people.make_owner",
        "people.accept",
        "planning.feed",
        "watching.health",
    }
)
DEVICES = frozenset({"telemetry.ingest", "telemetry.ingest_lines"})

# What each operation that writes asks for; the parts of a farm document are looked at one by one as well.
ASKS_FOR = {
    "advice.what_if": "look",
    "advice.preview_picks": "look",
    "advice.log_set": "sets",
    "farm.apply_farm": "look",
    "farm.take_back_entry": "look",
    "handheld.read_by_hand": "hand readings",
    "imports.upload_file": "files",
    "imports.table_text": "look",
    "imports.preview_file": "files",
    "imports.run_import": "files",
    "imports.undo_import": "files",
    "setup.soil_curves": "look",
    "setup.ground": "look",
    "setup.system_facts": "look",
    "setup.outline_facts": "look",
    "setup.uniformity": "look",
    "setup.wetted_share": "look",
    "setup.tubes": "look",
    "practice.power": "look",
    "practice.landscape": "look",
    "practice.basin": "look",
    "stations.close_run": "procedure_runs",
    "stations.swap": "sensors",
    "stations.delete": "look",
    "stations.restore": "look",
    "stations.upload_photo": "photos",
    "trust.decide_fault": "verdicts",
    "trust.decide_suspicion": "verdicts",
    "soil_water.work": "look",
    "soil_water.compare": "look",
    "soil_water.apply_calibration": "calibrations",
    "soil_water.withdraw": "calibrations",
    "soil_water.restore": "calibrations",
    "deciding.set_rules": "block_rules",
    "deciding.add_window": "dry_windows",
    "deciding.order": "orders",
    "deciding.withdraw": "orders",
    "deciding.import_weather": "eto",
    "deciding.columns_of_weather": "look",
    "deciding.import_forecast": "forecasts",
    "planning.check": "look",
    "planning.approve": "planned_sets",
    "planning.change": "planned_sets",
    "planning.lay": "planned_sets",
    "planning.make_feed": "planned_sets",
    "planning.revoke_feed": "planned_sets",
    "planning.told": "running sets",
    "planning.it_was_a_set": "sets",
    "planning.arm": "armings",
    "planning.stop_all": "running sets",
    "planning.enter": "controllers",
    "planning.forget": "controllers",
    "auditing.pick": "set_choices",
    "auditing.set_rules": "audit_rules",
    "auditing.followed_up": "set_visits",
    "seasons.start_next": "plantings",
    "seasons.taken_back": "harvests",
    "spatial.added": "stations",
    "spatial.areas_kept": "block_zones",
    "spatial.refurbished": "procedure_runs",
    "messages.chosen": "own account",
    "messages.tried": "own account",
    "open_data.read_back": "package",
    "open_data.new_token": "package",
    "open_data.take_token_back": "package",
    "telemetry.make_gateway": "gateways",
    "telemetry.revoke_gateway": "gateways",
    "demo.advance_demo": "clock",
    "people.change_own": "own account",
    "people.invite": "people",
    "people.change_person": "people",
    "people.invite_again": "people",
}

SMALL_BODY, USUAL_BODY = 64 * 1024, 1024**2
LARGEST_BODY = {
    "spatial.added": 4 * 1024**2,
    "spatial.areas_kept": 4 * 1024**2,
    "telemetry.ingest": 4 * 1024**2,
    "telemetry.ingest_lines": 4 * 1024**2,
    "farm.apply_farm": 32 * 1024**2,
    "handheld.read_by_hand": 4 * 1024**2,
    "stations.upload_photo": 8 * 1024**2,
    "deciding.import_weather": 24 * 1024**2,
    "deciding.import_forecast": 24 * 1024**2,
    "soil_water.work": 8 * 1024**2,
    "imports.upload_file": 1024**3,
    "imports.table_text": 32 * 1024**2,
    "setup.ground": 16 * 1024**2,
    "open_data.read_back": 4 * 1024**3,
}
"""Most that may come with an operation [bytes]; without an entry a mebibyte, less before signing in."""
csrf = CSRFProtect()


def device_token() -> str:
    """The token a device sends along; empty without one."""
    kind, _, token = request.headers.get("Authorization", "").partition(" ")
    return token.strip() if kind.lower() == "bearer" else ""


class Signed(UserMixin):
    """The person of a session."""

    def __init__(self, row: PersonRow) -> None:
        self.row = row

    def get_id(self) -> str:
        """Text kept in the session: who, and under which key, so that sessions can be closed from here."""
        return f"{self.row.id}.{self.row.session_key}"


def _load(text: str) -> Signed | None:
    number, _, key = text.partition(".")
    if people.session_ended(session.get("sid", "")):
        return None
    row = people.signed_in(int(number), key) if number.isdigit() else None
    return None if row is None else Signed(row)


def set_up_sessions(app: Flask, settings: Settings) -> None:
    """Cookies, sessions and tokens against writes from other sites."""
    app.config.update(
        SECRET_KEY=_secret(settings),
        SESSION_COOKIE_NAME=cookie_name(settings),
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_SECURE=settings.behind_tls,
        PERMANENT_SESSION_LIFETIME=86400 * SESSION_DAYS,
        WTF_CSRF_CHECK_DEFAULT=False,
        WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_SSL_STRICT=False,  # pages send no referrer; the token and SameSite stand
    )
    manager = LoginManager(app)
    manager.session_protection = None  # a phone changes its address between fields
    manager.user_loader(_load)
    csrf.init_app(app)


def cookie_name(settings: Settings) -> str:
    """Name of the session's cookie; browsers share cookies between ports, so two farms on one machine need two."""
    return f"embalse-{settings.port}"


def _secret(settings: Settings) -> str:
    """The key that signs cookies, kept beside the database and readable by its owner only."""
    path = settings.data_dir / "session.key"
    if not settings.data_dir.is_dir():
        return secrets.token_urlsafe(32)
    try:
        handle = os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600)
    except FileExistsError:
        return _kept_secret(path)
    with os.fdopen(handle, "w") as stream:
        stream.write(secrets.token_urlsafe(32))
    return path.read_text()


def _kept_secret(path: Path) -> str:
    kept = path.read_text()
    if len(kept) < 32:
        raise ValueError(f"{path.name} is not whole: delete it and start again; everybody signs in anew")
    return kept


def here() -> PersonRow | None:
    """Whoever is signed in; the demonstration's person signs in by itself, from this machine only.

    A token that reads only stands for somebody who looks.
    """
    if "reader" in g:
        reader: PersonRow = g.reader
        return reader
    if current_user.is_authenticated:
        row: PersonRow = current_user.row
        return row
    person = who_signs_in_by_itself()
    forwarded = any(name in request.headers for name in ("X-Forwarded-For", "Forwarded"))
    if person is None or forwarded or not _loopback(request.remote_addr):
        return None
    sign_in(person)
    return person


def sign_in(person: PersonRow) -> None:
    """Open a session; nothing of an older one stays."""
    session.clear()
    session.permanent = True
    session["sid"] = secrets.token_urlsafe(16)
    login_user(Signed(person))


def sign_off() -> None:
    """End the session here and on the server."""
    sid = session.get("sid")
    logout_user()
    session.clear()
    if sid:
        people.end_session(sid, SESSION_DAYS)


def somebody() -> PersonRow:
    """Whoever is signed in; the guard has seen to it that there is somebody."""
    row = here()
    if row is None:
        abort(401, "sign in first")
    return row


def _reads_in(person: PersonRow | None) -> None:
    """Texts of this request are in the language and units of whoever looks, else in the farm's units."""
    own = person.units if person is not None else None
    known = None if own else farm_store.farm()
    units: Units = "us" if (own or (known.units if known else "")) == "us" else "metric"
    read_in(units, language_of(person.language if person else None))


def guard() -> None:
    """Refuse an operation unless whoever is signed in may ask for it, with the token of their pages.

    Nothing of a body is read before: how much may come, and a device's token, are looked at first.
    """
    endpoint = request.endpoint or ""
    request.max_content_length = LARGEST_BODY.get(endpoint, SMALL_BODY if endpoint in OPEN else USUAL_BODY)
    if endpoint in DEVICES:
        gateway_of(device_token())
    if not request.path.startswith("/api/") or endpoint in DEVICES or not endpoint:
        act_as(Actor("a device", ""))
        read_in("metric")
        return
    writes = request.method not in LOOKING
    _let_reader_in(writes)
    if endpoint in OPEN:
        act_as(Actor("nobody signed in", ""))
        _reads_in(here())
    else:
        person = somebody()
        _reads_in(person)
        act_as(people.actor_of(person))
        what = "look" if not writes else ASKS_FOR.get(endpoint, "people")
        if not may(people.as_role(person.role), what):
            abort(403, refusal(people.as_role(person.role), what))
    if writes:
        if None in request.form:
            abort(400, "a part of the form has no name")
        csrf.protect()


def _let_reader_in(writes: bool) -> None:
    """Somebody with a token that reads only; it opens nothing that writes."""
    token = device_token()
    if not token:
        return
    reader = reader_of(token)
    if reader is None:
        abort(401, "this token is not known, or was revoked")
    if writes:
        abort(403, "this token only reads")
    g.reader = reader


def check_kinds(kinds: list[str]) -> None:
    """Refuse changes of kinds that whoever is signed in may not make."""
    role = people.as_role(somebody().role)
    refused = next((kind for kind in kinds if not may(role, kind)), None)
    if refused is not None:
        abort(403, refusal(role, refused))


def _loopback(address: str | None) -> bool:
    try:
        return address is not None and ip_address(address).is_loopback
    except ValueError:
        return False
