"""Installed for good: a wheel in a clean folder serves its own front end; health, figures and a log to watch it by."""

import configparser
import json
import logging
import os
import re
import signal
import site
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path

import pytest

from bench.broker import free_port
from embalse.api.request_ids import request_id
from embalse.api.watching import JsonLines
from embalse.config import Settings, settings_from
from embalse.services import helpers
from tests.web import client_of

ROOT = Path(__file__).resolve().parents[2]


@pytest.fixture(scope="module")
def wheel(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The wheel, built as `make wheel` builds it, from a copy: other tests read the checkout meanwhile."""
    import shutil

    copy, target = tmp_path_factory.mktemp("source"), tmp_path_factory.mktemp("wheel")
    leave = shutil.ignore_patterns("tests", "bench", "*.egg-info", "__pycache__", ".*_cache", "front_end", "build")
    shutil.copytree(ROOT / "backend", copy / "backend", ignore=leave)
    shutil.copytree(ROOT / "frontend" / "dist", copy / "frontend" / "dist")
    (copy / "scripts").mkdir()
    shutil.copy(ROOT / "scripts" / "dev.py", copy / "scripts")
    code = f"import sys; sys.path.insert(0, 'scripts'); import dev; from pathlib import Path; " \
           f"dev.PYTHON = Path({sys.executable!r}); dev.build_wheel(Path({str(target)!r}))"  # fmt: skip
    subprocess.run([sys.executable, "-c", code], cwd=copy, check=True)
    [made] = target.glob("embalse-*.whl")
    return made


@pytest.fixture(scope="module")
def installed(wheel: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Its command in an environment of its own; what it depends on is borrowed from here, not fetched."""
    folder = tmp_path_factory.mktemp("installed")
    subprocess.run([sys.executable, "-m", "venv", str(folder)], check=True)
    [libraries] = folder.glob("lib/python*/site-packages")
    borrowed = [p for p in site.getsitepackages() if "site-packages" in p]
    (libraries / "borrowed.pth").write_text("\n".join(borrowed) + "\n")
    python = folder / "bin" / "python"
    command = [str(python), "-m", "pip", "install", "-q", "--no-deps", "--no-index", "--ignore-installed", str(wheel)]
    subprocess.run(command, check=True)
    return folder / "bin" / "embalse"


def asked(url: str) -> tuple[int, bytes]:
    try:
        with urllib.request.urlopen(url, timeout=10) as answer:
            return answer.status, answer.read()
    except urllib.error.HTTPError as refused:
        return refused.code, refused.read()


def test_the_wheel_serves_its_own_front_end_from_an_empty_folder(installed: Path, tmp_path: Path) -> None:
    port = free_port()
    keys = ("PATH", "HOME", "LANG")
    environment = {k: os.environ[k] for k in keys if k in os.environ}
    environment |= {"EMBALSE_DATA": str(tmp_path / "data"), "EMBALSE_PORT": str(port), "EMBALSE_LOG": "json"}
    done = subprocess.run(
        [str(installed), "init", "--name", "Sur"],
        check=False,
        env=environment,
        cwd=tmp_path,
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr
    log = (tmp_path / "log").open("w+")
    server = subprocess.Popen([str(installed), "serve"], env=environment, cwd=tmp_path, stdout=log, stderr=log)
    try:
        url, end = f"http://127.0.0.1:{port}", time.monotonic() + 60
        while time.monotonic() < end:
            try:
                if asked(f"{url}/api/health")[0] == 200:
                    break
            except OSError:
                time.sleep(0.2)
        status, body = asked(f"{url}/api/health")
        assert status == 200 and json.loads(body)["status"] == "well"
        page = asked(url)[1].decode()
        [script] = set(re.findall(r'src="(/assets/[^"]+\.js)"', page))
        assert "Embalse" in page and asked(url + script)[0] == 200
        assert asked(f"{url}/api/round")[0] == 401, "nobody is signed in"
    finally:
        server.send_signal(signal.SIGTERM)
        server.wait()
    log.seek(0)
    lines = [json.loads(line) for line in log if line.startswith("{")]
    told = next(line for line in lines if line.get("path") == "/api/round")
    assert told["status"] == 401 and len(told["request"]) == 16 and told["ms"] >= 0
    copied = subprocess.run(
        [str(installed), "backup", str(tmp_path / "copy.db")],
        check=False,
        env=environment,
        cwd=tmp_path,
        capture_output=True,
    )
    assert copied.returncode == 0
    back = subprocess.run(
        [str(installed), "restore", str(tmp_path / "copy.db")],
        check=False,
        env=environment,
        cwd=tmp_path,
        capture_output=True,
    )
    assert back.returncode == 0


def test_the_unit_and_the_proxy_of_the_docs_say_what_the_program_knows() -> None:
    text = (ROOT / "docs" / "operations.md").read_text()
    unit = configparser.ConfigParser(strict=False, interpolation=None)
    unit.optionxform = str  # type: ignore[assignment, method-assign]
    unit.read_string(re.search(r"```ini\n(\[Unit\].*?)```", text, re.DOTALL)[1])  # type: ignore[index]
    assert unit["Service"]["ExecStart"].endswith("/bin/embalse serve") and unit["Service"]["Restart"] == "on-failure"
    named = dict(re.findall(r"^Environment=(\w+)=(\S+)$", text, re.MULTILINE))
    assert settings_from(named).behind_tls and settings_from(named).public_name
    proxy = re.search(r"```nginx\n(.*?)```", text, re.DOTALL)
    assert proxy is not None and "X-Forwarded-Proto" in proxy[1] and "proxy_pass http://127.0.0.1:8470" in proxy[1]


class TestWatching:
    def test_health_needs_nobody_signed_in(self, farm: Settings) -> None:
        from embalse.app import create_app

        bare = create_app(farm).test_client()
        told = bare.get("/api/health")
        assert told.status_code == 200 and told.json == {
            "status": "well", "version": told.json["version"], "schema_version": told.json["schema_version"],
            "troubles": [],
        }  # fmt: skip
        helpers.failed("the copy of the data", OSError(28, "No space left on device"))
        try:
            assert bare.get("/api/health").json["status"] == "troubled"
            assert bare.get("/api/health").json["troubles"] == ["the copy of the data: the disk is full"]
        finally:
            helpers.well("the copy of the data")

    def test_a_database_that_cannot_be_read_is_ill(self, farm: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
        import sqlite3

        from embalse.app import create_app

        def broken() -> int:
            raise sqlite3.DatabaseError("database disk image is malformed")

        monkeypatch.setattr("embalse.store.keeping.version_now", broken)
        assert create_app(farm).test_client().get("/api/health").status_code == 503

    @pytest.mark.published(source="Prometheus text exposition format, by the prometheus_client library's own parser")
    def test_figures_are_read_by_prometheus(self, farm: Settings) -> None:
        from prometheus_client.parser import text_string_to_metric_families

        pages = client_of(farm)
        pages.get("/api/round")
        text = pages.get("/api/metrics").text
        found = {f.name: f for f in text_string_to_metric_families(text)}
        assert {"embalse_requests", "embalse_request_seconds", "embalse_readings", "embalse_database_bytes"} <= set(
            found
        )
        rounds = [s for s in found["embalse_requests"].samples if s.labels.get("operation") == "advice.round_"
                  or s.labels.get("operation", "").startswith("advice.")]  # fmt: skip
        assert rounds and sum(s.value for s in rounds) >= 1
        assert found["embalse_database_bytes"].samples[0].value > 10_000

    def test_figures_are_not_for_everybody(self, farm: Settings) -> None:
        from embalse.app import create_app

        outside = {"environ_base": {"REMOTE_ADDR": "10.0.0.7"}}
        assert create_app(farm).test_client().get("/api/metrics", **outside).status_code == 401

    def test_every_request_has_an_id_that_the_log_has_too(
        self, farm: Settings, caplog: pytest.LogCaptureFixture
    ) -> None:
        pages = client_of(farm)
        with caplog.at_level(logging.INFO, "embalse.requests"):
            answer = pages.get("/api/farm", headers={"X-Request-Id": "walk-7"})
            other = pages.get("/api/farm", headers={"X-Request-Id": "no good\tid"})
        assert answer.headers["X-Request-Id"] == "walk-7"
        assert re.fullmatch(r"[0-9a-f]{16}", other.headers["X-Request-Id"])
        assert "GET /api/farm 200" in caplog.text

    def test_a_log_line_is_json(self) -> None:
        token = request_id.set("walk-7")
        try:
            raise ValueError("on purpose")
        except ValueError:
            record = logging.LogRecord("embalse", logging.ERROR, "", 0, "it %s", ("failed",), sys.exc_info())
        line = json.loads(JsonLines().format(record))
        request_id.reset(token)
        assert (line["level"], line["says"], line["request"]) == ("error", "it failed", "walk-7")
        assert "on purpose" in line["fault"]
        with pytest.raises(ValueError, match="EMBALSE_LOG"):
            settings_from({"EMBALSE_LOG": "xml"})
