"""Our own keys: what is sealed opens again, also after a change of keys; what is signed cannot be altered."""

from __future__ import annotations

import pytest
from cryptography.fernet import Fernet, InvalidToken
from hypothesis import given
from hypothesis import strategies as st

from skurrow.service.context import Settings, Signer, Vault

OLD, NEW, OTHER = (Fernet.generate_key().decode() for _ in range(3))


@given(st.text(max_size=200))
def test_what_was_sealed_opens_again_and_cannot_be_read(text: str) -> None:
    sealed = Vault((OLD,)).seal(text)
    assert Vault((OLD,)).open(sealed) == text
    assert len(text) < 4 or text.encode() not in sealed


def test_a_new_key_seals_and_the_old_one_still_opens() -> None:
    sealed = Vault((OLD,)).seal("secret")
    assert Vault((NEW, OLD)).open(sealed) == "secret"
    with pytest.raises(InvalidToken):
        Vault((OLD,)).open(Vault((NEW, OLD)).seal("secret"))


@pytest.mark.parametrize(
    "change", [lambda b: b[:-2], lambda b: b[:40] + bytes([b[40] ^ 1]) + b[41:], lambda b: b"x" + b[1:], lambda b: b""]
)
def test_what_was_not_sealed_here_does_not_open(change: object) -> None:
    with pytest.raises(InvalidToken):
        Vault((OLD,)).open(change(Vault((OLD,)).seal("secret")))  # type: ignore[operator]
    with pytest.raises(InvalidToken):
        Vault((OTHER,)).open(Vault((OLD,)).seal("secret"))


@given(st.dictionaries(st.text(max_size=8), st.integers() | st.text(max_size=20), max_size=5))
def test_a_token_says_what_was_signed_for_its_purpose_only(data: dict[str, object]) -> None:
    token = Signer((OLD,)).sign("visit", data)
    assert Signer((OLD,)).read("visit", token) == data
    assert Signer((NEW, OLD)).read("visit", token) == data
    assert Signer((OLD,)).read("confirmation", token) is None
    assert Signer((NEW,)).read("visit", token) is None


@given(st.integers(0, 60), st.characters(codec="ascii", categories=["L", "N"]))
def test_an_altered_token_is_none(at: int, letter: str) -> None:
    token = Signer((OLD,)).sign("visit", {"site": "ostrel", "mode": "test"})
    altered = token[:at] + letter + token[at + 1 :]
    assert altered == token or Signer((OLD,)).read("visit", altered) is None


def test_settings_name_what_is_missing_and_show_no_secret() -> None:
    with pytest.raises(KeyError, match="SKURROW_DATABASE_URL"):
        Settings.from_environment({})
    names = "DATABASE_URL MASTER_KEYS DESK_URL COUNTER_URL EVENTS_URL STANDIN_CARDS_API STANDIN_CARDS_BROWSER"
    environment = {f"SKURROW_{name}": f"value-of-{name}" for name in names.split()}
    settings = Settings.from_environment(environment)
    assert settings.first_ask.total_seconds() > settings.gateway_seconds
    assert "value-of-DATABASE_URL" not in repr(settings)
    assert "value-of-MASTER_KEYS" not in repr(settings)
