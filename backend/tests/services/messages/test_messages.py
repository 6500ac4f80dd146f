"""Letters and alerts: made once, at their hour, in the person's units; sent by a stand-in, tried again when refused."""

import socket
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings, settings_from
from embalse.services import helpers
from embalse.services.acting.tonight import tonight_content
from embalse.services.advice.advise import round_content
from embalse.services.intake.weather_import import import_forecast
from embalse.services.messages import messenger
from embalse.services.messages.alerts import alerts_now
from embalse.services.messages.letter import Letter, Line, Part, morning_letter, written
from embalse.services.messages.messenger import Messenger, NotSent, by_mail, make_due, send_due
from embalse.services.messages.own import MessageChoice, choose, messages_content, trial
from embalse.services.reader import reading_as, say
from embalse.standins.mail import kept_mail, mail_server
from embalse.store import messages as store
from embalse.store import people as people_store
from embalse.store.database import transaction
from embalse.store.models import Farm
from tests.conftest import put
from tests.web import client_of

BASE = "http://farm.test"


def me() -> int:
    return next(p.id for p in people_store.people() if p.by_itself)


def clock_to(iso: str) -> None:
    from datetime import datetime

    Farm.update(clock_at=int(datetime.fromisoformat(iso).timestamp())).execute()


@pytest.fixture
def mail(tmp_path: Path) -> Iterator[tuple[Settings, Path]]:
    """Settings of a mail server of our own, and the folder its messages go to."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    server = mail_server(port, tmp_path / "mail", refuse=0)
    server.start()
    yield (
        Settings(mail_host="127.0.0.1", mail_port=port, mail_tls="none", mail_from="embalse@farm.test"),
        tmp_path / "mail",
    )
    server.stop()


class TestTheLetter:
    def test_it_says_what_the_round_and_the_night_say(self, demo: Settings) -> None:
        letter, told, night = morning_letter(BASE), round_content(with_working=False), tonight_content()
        due = [b for b in told.blocks if b.group == "act"]
        assert told.sentence in letter.title and len(due) > 2
        for block in due:
            assert f"- {block.name}: " in letter.plain and f"{BASE}/block/{block.key}" in letter.plain
            assert f"href='{BASE}/block/{block.key}'" in letter.html
        failed = next(s for s in night.done if s.state == "failed")
        assert "DID NOT RUN AS PLANNED" in letter.plain and failed.name in letter.plain.split("DID NOT RUN")[1]
        assert all(v.why in letter.plain for v in told.to_see)
        assert "Judgement stays with you" in letter.plain and "<script" not in letter.html

    def test_it_is_in_the_persons_units(self, demo: Settings) -> None:
        with reading_as("us"):
            assert " in net" in morning_letter(BASE).plain
        assert " mm net" in morning_letter(BASE).plain

    def test_it_is_in_the_persons_language(self, demo: Settings) -> None:
        with transaction():
            people_store.change(me(), {"language": "es"})
        choose(me(), MessageChoice(email="ines@farm.test", morning_hour=6))
        assert make_due(BASE) == 1
        letter = next(m for m in store.of_person(me(), 10) if m.kind == "morning")
        assert "parcelas necesitan agua hoy" in letter.title and "NECESITA AGUA HOY" in letter.plain
        assert "<html lang='es'>" in letter.html and "El juicio es suyo" in letter.html
        assert "Needs water today" not in letter.html

    def test_names_cannot_break_out_of_it(self) -> None:
        letter = written("<b>x</b>", [Part("p & q", [Line("<i>", "'\"", "/a'b"), Line("", "only", "/")])], BASE)
        assert "<b>x" not in letter.html and "&lt;b&gt;x" in letter.html and "/a&#x27;b" in letter.html
        assert letter.plain.startswith("<b>x</b>\n") and "- <i>: '\"" in letter.plain

    def test_a_quiet_morning_says_so(self, farm: Settings) -> None:
        assert "Nothing needs water today" in morning_letter(BASE).plain


class TestMaking:
    def test_a_letter_is_made_once_a_morning_at_the_persons_hour(self, demo: Settings) -> None:
        choose(me(), MessageChoice(email="ines@farm.test", morning_hour=7))
        assert make_due(BASE) == 0, "it is six"
        clock_to("2026-07-14T07:00+02:00")
        assert make_due(BASE) == 1 and make_due(BASE) == 0
        clock_to("2026-07-15T07:30+02:00")
        assert make_due(BASE) == 1
        kinds = [m.kind for m in store.of_person(me(), 9)]
        assert kinds == ["morning", "morning"]

    def test_what_cannot_be_made_keeps_nobody_from_theirs(
        self, demo: Settings, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        def broken() -> list[object]:
            raise RuntimeError("on purpose")

        monkeypatch.setattr(messenger, "alerts_now", broken)
        other = next(p.id for p in people_store.people() if not p.by_itself)
        choose(me(), MessageChoice(email="ines@farm.test", morning_hour=6, alerts=True))
        choose(other, MessageChoice(email="blas@farm.test", morning_hour=6))
        with pytest.raises(RuntimeError):
            make_due(BASE)
        assert [len(store.of_person(p, 9)) for p in (me(), other)] == [1, 1]

    def test_nobody_asked_nothing_is_made(self, demo: Settings) -> None:
        assert make_due(BASE) == 0
        choose(me(), MessageChoice(email="ines@farm.test"))
        assert make_due(BASE) == 0

    def test_without_a_farm_nothing_happens(self, empty: Settings) -> None:
        assert make_due(BASE) == 0 and send_due(lambda *_: None) == 0

    def test_alerts_come_once_and_wait_out_the_quiet_hours(self, demo: Settings) -> None:
        choose(me(), MessageChoice(email="ines@farm.test", alerts=True, quiet_from=0, quiet_until=8))
        made = make_due(BASE)
        assert made == len(alerts_now()) > 0 and make_due(BASE) == 0
        now = Farm.get().clock_at
        assert {m.not_before - now for m in store.of_person(me(), 99)} == {2 * 3600}
        assert send_due(lambda *_: None) == 0, "not before eight"
        clock_to("2026-07-14T08:00+02:00")
        assert send_due(lambda *_: None) == made


class TestAlerts:
    def test_a_set_that_failed_and_one_that_does_not_end(self, demo: Settings) -> None:
        found = {a.about.split(":")[0] for a in alerts_now()}
        assert "failed" in found and "open" not in found
        words = next(say(a.words) for a in alerts_now() if a.about.startswith("failed"))
        assert words.startswith("Norte 2: the set of ") and "did not run" in words
        running = next(s for s in tonight_content().sets if s.state == "running")
        clock_to(running.end)
        assert not any(a.about.startswith("open") for a in alerts_now())

    def test_a_valve_open_past_its_end(self, demo: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
        night = tonight_content()
        one = next(s for s in night.sets if s.state == "running")
        late = one.model_copy(update={"end": "2026-07-14T05:44:00+02:00"})
        timely = one.model_copy(update={"end": "2026-07-14T05:46:00+02:00", "key": "other"})
        told = night.model_copy(update={"sets": [late, timely], "done": []})
        monkeypatch.setattr("embalse.services.messages.alerts.tonight_content", lambda: told)
        words = [say(a.words) for a in alerts_now() if a.about.startswith("open")]
        assert words == [f"{one.name} is still running: it was to end at 05:44. Close it by hand if need be"]

    def test_a_silent_station_counts_only_where_water_is_due(self, demo: Settings) -> None:
        told = round_content(with_working=False)
        due = {b.key for b in told.blocks if b.group == "act"}
        expected = {v.station for v in told.to_see if v.silent and v.station.split("/")[0] in due}
        found = {a.about.split(":")[1] for a in alerts_now() if a.about.startswith("silent")}
        assert found == expected
        clock_to("2026-07-16T06:00+02:00")  # nothing came in for two days
        later = {a.about.split(":")[1] for a in alerts_now() if a.about.startswith("silent")}
        assert len(later) > len(expected)

    def test_frost_and_heat_of_the_forecast(self, demo: Settings) -> None:
        from datetime import datetime

        put({"embalse": 1, "air_limits": [{"key": "a", "valid_from": "2026-07-01", "frost_c": 0.0, "heat_c": 38.0}]})
        lines = ["day,member,eto_mm,tmax_c,tmin_c"]
        lines += [f"2026-07-{14 + d},{m},6,{t},12" for d, ts in enumerate([(37, 37), (38, 39), (39, 30), (45, 45), (45, 45)])
                  for m, t in zip("ab", ts, strict=True)]  # fmt: skip
        import_forecast("\n".join(lines), datetime(2026, 7, 14, 5), None, "")
        found = [a for a in alerts_now() if a.about.startswith(("frost", "heat"))]
        assert [say(a.words).split(":")[0] for a in found] == [
            "Heat is forecast for Wed 15 Jul", "Heat is forecast for Thu 16 Jul", "Heat is forecast for Fri 17 Jul",
        ]  # fmt: skip
        assert "50 % of the forecast's members" in say(found[1].words)


class TestSending:
    def test_it_arrives_as_text_and_html(self, demo: Settings, mail: tuple[Settings, Path]) -> None:
        settings, folder = mail
        choose(me(), MessageChoice(email="ines@farm.test", morning_hour=6))
        make_due(BASE)
        assert send_due(by_mail(settings)) == 1 and send_due(by_mail(settings)) == 0
        [message] = kept_mail(folder)
        assert message["To"] == "ines@farm.test" and message["From"] == "embalse@farm.test"
        plain, html = message.get_body(("plain",)), message.get_body(("html",))
        assert plain is not None and "NEEDS WATER TODAY" in plain.get_content()
        assert html is not None and "<h1" in html.get_content()
        assert messages_content(me(), True).messages[0].state == "sent"

    def test_one_that_is_refused_is_tried_again_and_not_doubled(self, demo: Settings, tmp_path: Path) -> None:
        tries: list[str] = []

        def send(address: str, letter: Letter) -> None:
            tries.append(address)
            if len(tries) < 3:
                raise NotSent("the mail server is not reached")

        choose(me(), MessageChoice(email="ines@farm.test", morning_hour=6))
        make_due(BASE)
        with pytest.raises(NotSent):
            send_due(send)
        assert messages_content(me(), True).messages[0].trouble == "the mail server is not reached"
        assert send_due(send) == 0 and len(tries) == 1, "a minute must pass"
        clock_to("2026-07-14T06:01+02:00")
        with pytest.raises(NotSent):
            send_due(send)
        clock_to("2026-07-14T06:06+02:00")
        assert send_due(send) == 1 and send_due(send) == 0 and len(tries) == 3

    def test_after_a_day_it_stays_on_the_page(self, demo: Settings) -> None:
        def never(address: str, letter: Letter) -> None:
            raise NotSent("the mail server is not reached")

        choose(me(), MessageChoice(email="ines@farm.test", morning_hour=6))
        make_due(BASE)
        clock_to("2026-07-15T06:01+02:00")
        with pytest.raises(NotSent):
            send_due(never)
        assert [m.state for m in messages_content(me(), True).messages] == ["on this page only"]

    def test_without_an_address_it_stays_on_the_page(self, demo: Settings) -> None:
        choose(me(), MessageChoice(morning_hour=6))
        make_due(BASE)
        assert send_due(lambda *_: None) == 0
        [message] = messages_content(me(), True).messages
        assert (message.state, message.trouble) == ("on this page only", "no address is entered")

    @pytest.mark.parametrize(
        ("change", "why"),
        [({"mail_port": 1}, "not reached"), ({"mail_user": "x"}, "."), ({"mail_tls": "starttls"}, ".")],
    )
    def test_what_is_wrong_with_the_server_is_said_in_words(
        self, demo: Settings, mail: tuple[Settings, Path], change: dict[str, object], why: str
    ) -> None:
        with pytest.raises(NotSent, match=why):
            by_mail(replace(mail[0], **change))("ines@farm.test", written("t", [], BASE))  # type: ignore[arg-type]

    def test_a_server_that_refuses_for_now(self, demo: Settings, mail: tuple[Settings, Path]) -> None:
        settings, folder = mail
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        refusing = mail_server(port, folder, refuse=1)
        refusing.start()
        with pytest.raises(NotSent, match="refused it"):
            by_mail(replace(settings, mail_port=port))("ines@farm.test", written("t", [], BASE))
        by_mail(replace(settings, mail_port=port))("ines@farm.test", written("t", [], BASE))
        refusing.stop()
        assert len(kept_mail(folder)) == 1


class TestTheThread:
    def test_it_sends_and_goes_on_after_trouble(
        self, demo: Settings, mail: tuple[Settings, Path], monkeypatch: pytest.MonkeyPatch
    ) -> None:
        settings, folder = mail
        choose(me(), MessageChoice(email="ines@farm.test", morning_hour=6))
        calls: list[int] = []

        def sometimes(base: str) -> int:
            calls.append(1)
            if len(calls) == 1:
                raise RuntimeError("on purpose")
            return make_due(base)

        monkeypatch.setattr(messenger, "make_due", sometimes)
        thread = Messenger(replace(settings, data=demo.data), every_s=0.05)
        thread.start()
        end = time.monotonic() + 20
        while not kept_mail(folder) and time.monotonic() < end:
            time.sleep(0.05)
        thread.stop()
        assert len(kept_mail(folder)) == 1 and len(calls) > 1
        assert not any(t.what == messenger.HELPER for t in helpers.troubles())


class TestOnThePage:
    def test_choosing_trying_and_reading(self, demo: Settings) -> None:
        pages = client_of(demo)
        told = pages.post(
            "/api/messages/choice", json={"email": "ines@farm.test", "morning_hour": 6, "alerts": True}
        ).json
        assert told["choice"]["morning_hour"] == 6 and told["mail"] is False
        bad = pages.post("/api/messages/choice", json={"email": "no address"})
        assert bad.status_code == 422 and "no mail address" in bad.text
        bad = pages.post("/api/messages/choice", json={"email": "a@b", "quiet_from": 24})
        assert bad.status_code == 422
        tried = pages.post("/api/messages/trial").json["messages"]
        assert tried[0]["kind"] == "trial" and tried[0]["state"] == "on this page only"
        trial(me(), BASE)
        assert len(pages.get("/api/messages").json["messages"]) >= 1

    def test_settings_are_read_from_the_environment(self) -> None:
        found = settings_from({"EMBALSE_MAIL_HOST": "m", "EMBALSE_MAIL_PORT": "25", "EMBALSE_MAIL_TLS": "none"})
        assert (found.mail_host, found.mail_port, found.mail_tls) == ("m", 25, "none")
        with pytest.raises(ValueError, match="MAIL_TLS"):
            settings_from({"EMBALSE_MAIL_TLS": "maybe"})
        assert replace(found, public_name="a.test", behind_tls=True).address == "https://a.test"
        assert replace(found, public_name="a.test").address == "http://a.test:8470"

    def test_the_stand_in_has_a_command(self) -> None:
        assert "none is sent on" in CliRunner().invoke(main, ["standin", "mail", "--help"]).output
