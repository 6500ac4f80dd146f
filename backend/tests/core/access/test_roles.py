import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.access.roles import LEAST_ROLE, ROLES, WeakPassword, checked_password, may, refusal


@given(st.sampled_from(ROLES), st.sampled_from(sorted(LEAST_ROLE)))
def test_a_higher_role_may_all_a_lower_one_may(role: str, what: str) -> None:
    allowed = [may(one, what) for one in ROLES]
    assert allowed == sorted(allowed) and allowed[-1]
    assert may(role, what) == (ROLES.index(role) >= ROLES.index(LEAST_ROLE[what]))


def test_a_kind_nobody_thought_of_asks_for_the_owner() -> None:
    assert [may(role, "something new") for role in ROLES] == [False, False, False, False, True]
    assert refusal("manager", "people") == "this asks for the role owner (people); you are signed in as manager"


def test_what_each_person_of_the_farm_needs() -> None:
    assert may("field hand", "hand readings") and may("field hand", "procedure_runs") and not may("field hand", "soils")
    assert may("agronomist", "calibrations") and may("agronomist", "verdicts") and not may("agronomist", "systems")
    assert may("manager", "gateways") and not may("manager", "people")
    assert [what for what in LEAST_ROLE if may("viewer", what)] == ["look", "own account"]


@pytest.mark.parametrize(
    ("password", "words"),
    [("short", "at least 10"), ("x" * 201, "at most"), ("aaaaaaaaaaab", "different"), ("ana.reyes12", "sign-in name")],
)
def test_weak_passwords_are_refused_with_the_reason(password: str, words: str) -> None:
    with pytest.raises(WeakPassword, match=words) as refused:
        checked_password(password, "ana.reyes")
    assert refused.value.field == "password"


def test_long_words_and_any_sign_will_do() -> None:
    for password in ("three brown hens", "ñandú ✓ 水 over there", "4071936528 7"):
        assert checked_password(password, "ana") == password


@pytest.mark.parametrize(
    "password", ["password123", "qwertyuiop", "1q2w3e4r5t", "iloveyou12", "aaaabbbbcccc", "0123456789"]
)
def test_what_is_guessed_first_is_no_password(password: str) -> None:
    with pytest.raises(WeakPassword):
        checked_password(password, "somebody")


@pytest.mark.parametrize(
    "password", ["seven green herons", "pump ladder cheese", "x" * 3 + "olive tin fence", "Tr4ctor!wheel-9"]
)
def test_a_few_words_are_a_good_one(password: str) -> None:
    assert checked_password(password, "somebody") == password
