"""Names in the trail: each is one person's, and a person's."""

import pytest

from embalse.core.access.names import refused_name, skeleton
from embalse.core.errors import CoreError

OWNER = "Inés Ródenas"


@pytest.mark.parametrize(
    "name",
    ["Inés Ródenas", "ines rodenas", "INES  RODENAS", "lnes R0denas", "Ines Rodenas.", "Inés\u00a0Ródenas", "InésRódenas",
     "1nes Rodenas"],
)  # fmt: skip
def test_what_the_eye_takes_for_another_is_refused(name: str) -> None:
    with pytest.raises(CoreError, match="could be taken for Inés Ródenas"):
        refused_name(name, ["Ana", OWNER])


@pytest.mark.parametrize("name", ["Inés R.", "Inés Ródenas Sáez", "Ana Ródenas", "山田 太郎", "Марія", "Ana"])
def test_other_names_of_all_scripts_will_do(name: str) -> None:
    refused_name(name, [OWNER])


@pytest.mark.parametrize(
    ("name", "words"),
    [("Inés R\u043edenas", "several scripts"), ("Ine\u200bs", "cannot be seen"), ("Inés (owner)", "role"),
     ("Owner", "role"), ("the manager", "role"), ("Embalse itself", "role"), ("command line", "role"),
     ("...", "no letter"), ("In\u00e9s\u202e", "cannot be seen")],
)  # fmt: skip
def test_hidden_letters_mixed_scripts_and_roles_are_refused(name: str, words: str) -> None:
    with pytest.raises(CoreError, match=words) as refused:
        refused_name(name, [])
    assert refused.value.field == "name"


def test_a_look_is_the_same_however_it_is_written() -> None:
    assert skeleton("Ródenas") == skeleton("R0DENAS") != skeleton("Rodena")
    assert skeleton("Carnen") == skeleton("Camen")
