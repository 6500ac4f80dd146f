"""Settings: what may be set, and how wrong values are told."""

import pytest

from embalse.config import SETTING_HELP, Settings, settings_from


def test_every_setting_is_explained() -> None:
    assert set(SETTING_HELP) == set(Settings.__dataclass_fields__)


def test_yes_and_no_are_1_and_0() -> None:
    assert settings_from({"EMBALSE_BEHIND_TLS": "1"}).behind_tls is True
    assert settings_from({"EMBALSE_BEHIND_TLS": "0"}).behind_tls is False
    with pytest.raises(ValueError, match="EMBALSE_BEHIND_TLS must be 0 or 1, is 'yes'"):
        settings_from({"EMBALSE_BEHIND_TLS": "yes"})


def test_names_the_server_answers_to() -> None:
    assert settings_from({}).trusted_hosts == ["localhost", "127.0.0.1", "[::1]", "127.0.0.1"]
    named = settings_from({"EMBALSE_PUBLIC_NAME": "farm.example", "EMBALSE_HOST": "0.0.0.0"})
    assert "farm.example" in named.trusted_hosts


def test_a_number_that_is_none_is_named() -> None:
    with pytest.raises(ValueError, match="EMBALSE_PORT must be a whole number, is 'web'"):
        settings_from({"EMBALSE_PORT": "web"})
