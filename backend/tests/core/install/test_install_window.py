"""When to put sensors in."""

from embalse.core.install.install_window import install_window, window_sentence
from embalse.core.wording import text


def test_windows_open_and_close() -> None:
    maize = install_window("maize grain")
    assert maize is not None
    assert window_sentence(maize, 3)[0] == "early"
    state, words = window_sentence(maize, 20)
    assert (state, text(words)) == ("open", "Closes in 10 days: first to fourth leaf; small plants recover.")
    assert window_sentence(maize, 50)[0] == "closed"
    assert window_sentence(maize, None)[0] == "unknown"
    almond = install_window("almond")
    assert almond is not None and window_sentence(almond, None)[0] == "open"
    assert install_window("moss") is None
