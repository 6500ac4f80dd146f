"""Messages made when they are due and sent by mail, by a thread of the server that never stops for one that fails."""

import logging
import smtplib
import ssl
import threading
from collections.abc import Callable
from email.message import EmailMessage
from typing import Final

from embalse.config import Settings
from embalse.core.telling.when_told import morning_due, next_try_s, quiet_for_min
from embalse.core.wording.catalogues import language_of
from embalse.core.wording.quantities import Units
from embalse.services import helpers, times
from embalse.services.load import clock
from embalse.services.messages.alerts import Alert, alerts_now
from embalse.services.messages.letter import Letter, Line, Part, morning_letter, written
from embalse.services.reader import reading_as, say
from embalse.store import farm as farm_store
from embalse.store import messages as store
from embalse.store import people as people_store
from embalse.store.database import connection, transaction
from embalse.store.errors import Conflict
from embalse.store.messages import ChoiceRow, MessageRow
from embalse.store.rows import PersonRow

log = logging.getLogger("embalse")
EVERY_S: Final = 60.0
HELPER: Final = "messages by mail"
TIMEOUT_S: Final = 20
Send = Callable[[str, Letter], None]


class NotSent(Exception):
    """A message the mail server did not take; why is in words a page can show."""


def make_due(base: str) -> int:
    """Make the morning letters and alerts that are due at this moment; returns how many are new."""
    farm = farm_store.farm()
    if farm is None:
        return 0
    now = clock.farm_now(farm)
    local = times.local(now, farm.time_zone)
    minute, today = 60 * local.hour + local.minute, local.date().isoformat()
    people = {p.id: p for p in people_store.people()}
    made, trouble = 0, None
    for choice in store.choices():
        person = people.get(choice.person_id)
        if person is None:
            continue
        for kind in (_morning, _alerts):
            try:
                with reading_as(_units(person, farm.units), language_of(person.language)):
                    made += kind(choice, base, (now, minute, today))
            except Exception as wrong:  # what cannot be made for one must not keep all others from theirs
                log.exception("messages: not made for person %s", choice.person_id)
                trouble = wrong
    if trouble is not None:
        raise trouble
    return made


def _morning(choice: ChoiceRow, base: str, at: tuple[int, int, str]) -> int:
    now, minute, today = at
    about = f"morning:{today}"
    if choice.morning_hour is None or not morning_due(minute, choice.morning_hour):
        return 0
    return 0 if store.told_already(choice.person_id, about) else _keep(choice, about, morning_letter(base), now)


def _alerts(choice: ChoiceRow, base: str, at: tuple[int, int, str]) -> int:
    now, minute, _ = at
    if not choice.alerts:
        return 0
    wait_s = 60 * quiet_for_min(minute, choice.quiet_from, choice.quiet_until)
    new = [one for one in alerts_now() if not store.told_already(choice.person_id, one.about)]
    return sum(_keep(choice, one.about, _letter(one, base), now, wait_s) for one in new)


def _units(person: PersonRow, farm_units: str) -> Units:
    return "us" if (person.units or farm_units) == "us" else "metric"


def _letter(alert: Alert, base: str) -> Letter:
    words = say(alert.words)
    return written(words, [Part("At once", [Line("", words, alert.path)])], base)


def _keep(choice: ChoiceRow, about: str, letter: Letter, now: int, wait_s: int = 0) -> int:
    first = about.split(":", maxsplit=1)[0]
    kind = first if first in ("morning", "trial") else "alert"
    row = MessageRow(
        id=0, person_id=choice.person_id, about=about, kind=kind, title=letter.title, plain=letter.plain,
        html=letter.html, made_at=now, not_before=now + wait_s, sent_at=None, tries=0, next_try_at=None, trouble="",
    )  # fmt: skip
    with transaction():
        return int(store.add(row))


def make_trial(person_id: int, base: str, words: str) -> None:
    """A message for trying, at once and whatever the hour."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    choice = ChoiceRow(person_id, "", None, 0, 0, 0)
    _keep(choice, f"trial:{times.now_utc()}", written(words, [], base), now)


def send_due(send: Send) -> int:
    """Send what is due; returns how many went out. One that the server does not take is tried again later.

    Without an address a message stays on the page only.
    """
    farm = farm_store.farm()
    if farm is None:
        return 0
    now = clock.farm_now(farm)
    to = {c.person_id: c.email for c in store.choices()}
    out, trouble = 0, ""
    for message in store.to_send(now):
        address = to.get(message.person_id, "")
        if not address:
            with transaction():
                store.not_sent(message.id, None, "no address is entered")
            continue
        try:
            send(address, Letter(message.title, message.plain, message.html))
        except NotSent as wrong:
            trouble = str(wrong)
            wait_s = next_try_s(message.tries + 1, now - message.not_before)
            with transaction():
                store.not_sent(message.id, None if wait_s is None else now + wait_s, trouble)
            continue
        with transaction():
            store.sent(message.id, now)
        out += 1
    if trouble:
        raise NotSent(trouble)
    return out


def by_mail(settings: Settings) -> Send:
    """What sends a letter through the mail server of the settings."""

    def send(address: str, letter: Letter) -> None:
        mail = EmailMessage()
        mail["From"], mail["To"] = settings.mail_from or "embalse@localhost", address
        mail["Subject"] = letter.title
        mail.set_content(letter.plain)
        mail.add_alternative(letter.html, subtype="html")
        try:
            with _server(settings) as server:
                if settings.mail_tls == "starttls":
                    server.starttls(context=ssl.create_default_context())
                if settings.mail_user:
                    server.login(settings.mail_user, settings.mail_password)
                server.send_message(mail)
        except (OSError, smtplib.SMTPException, ValueError) as wrong:
            raise NotSent(_why(wrong)) from wrong

    return send


def _server(settings: Settings) -> smtplib.SMTP:
    if settings.mail_tls == "tls":
        context = ssl.create_default_context()
        return smtplib.SMTP_SSL(settings.mail_host, settings.mail_port, timeout=TIMEOUT_S, context=context)
    return smtplib.SMTP(settings.mail_host, settings.mail_port, timeout=TIMEOUT_S)


def _why(wrong: Exception) -> str:
    if isinstance(wrong, smtplib.SMTPAuthenticationError):
        return "the mail server does not take the name and password"
    if isinstance(wrong, smtplib.SMTPRecipientsRefused):
        return "the mail server does not take this address"
    if isinstance(wrong, smtplib.SMTPResponseException):
        return f"the mail server refused it ({wrong.smtp_code})"
    if isinstance(wrong, TimeoutError):
        return "the mail server does not answer"
    if isinstance(wrong, ValueError):
        return "the address or the title cannot be sent"
    return "the mail server is not reached"


class Messenger:
    """Makes what is due and sends it, every minute until it is stopped."""

    def __init__(self, settings: Settings, every_s: float = EVERY_S) -> None:
        self._base = settings.address
        self._send = by_mail(settings) if settings.mail_host else None
        self._every_s = every_s
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """Stop; a message under way is finished."""
        self._stop.set()
        self._thread.join()

    def _run(self) -> None:
        while not self._stop.is_set():
            try:
                with connection():
                    try:
                        make_due(self._base)
                    finally:
                        if self._send is not None:
                            send_due(self._send)
            except NotSent as wrong:
                log.warning("messages: %s", wrong)
                helpers.failed(HELPER, OSError(None, str(wrong)))
            except Conflict as not_now:
                log.debug("messages: %s", not_now)
            except Exception as trouble:
                log.exception("messages were not looked after; tried again")
                helpers.failed(HELPER, trouble)
            else:
                helpers.well(HELPER)
            self._stop.wait(self._every_s)
