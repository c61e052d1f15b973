"""What owners say in mails: by language, with placeholders that are there to be filled."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.check.site import check_data
from skurrow.core.draft.changes import differences, merged
from skurrow.core.problems import InvalidInput
from skurrow.core.site.mails import FACTS, OwnMail, filled, paragraphs, said
from skurrow.core.site.mending import mended
from tests.core.sites import plain


def checked(mails: dict[str, Any]) -> Any:
    return check_data({**plain(), "mails": mails}).mails


def told(mails: dict[str, Any]) -> list[tuple[str, str, str]]:
    with pytest.raises(InvalidInput) as refused:
        checked(mails)
    return [(problem.where, problem.message, problem.remedy) for problem in refused.value.problems]


def test_words_are_a_string_or_a_map_by_language() -> None:
    mails = checked({"own": [{"id": "ended", "subject": "Bye", "text": {"en": "One.\n\nTwo.", "nl": "Een."}}]})
    own = mails.of("ended")
    assert [said(own.subject, one) for one in ("en", "nl", "fi")] == ["Bye"] * 3
    assert [said(own.text, one) for one in ("en", "nl", "fi")] == ["One.\n\nTwo.", "Een.", None]
    assert mails.of("begun") is None


@pytest.mark.parametrize(
    ("mails", "where", "message"),
    [
        (
            {"own": [{"id": "ended", "text": "{order.code}"}]},
            "mails.own[0].text",
            "There is no {order.code} in this mail",
        ),
        ({"own": [{"id": "ended", "text": {"nl": "{x}"}}]}, "mails.own[0].text.nl", "There is no {x} in this mail"),
        ({"foot": "{amount}"}, "mails.foot", "There is no {amount} in this mail"),
        ({"own": [{"id": "ended"}, {"id": "ended"}]}, "mails.own[1].id", "Another mail is already called “ended”"),
        ({"own": [{"id": "ended", "subject": "a\nb"}]}, "mails.own[0].subject", "has several lines"),
        ({"own": [{"id": "ended", "text": {"English": "x"}}]}, "mails.own[0].text.English.[key]", "is no language"),
        ({"own": [{"id": "ended", "text": {}}]}, "mails.own[0].text", "has too few entries: at least 1"),
        ({"reply_to": "nobody"}, "mails.reply_to", '"nobody" is no email address'),
    ],
)
def test_what_cannot_be_is_named_with_its_place(mails: dict[str, Any], where: str, message: str) -> None:
    ((found, said_, remedy),) = told(mails)
    assert (found, said_) == (where, message)
    assert remedy


def test_a_paragraph_that_names_what_there_is_not_is_left_out() -> None:
    text = "Dear {buyer.name},\n\nUntil {day}.\nBring it along.\n\nBye {not this}"
    facts = {"buyer.name": "Jo", "day": "", "not this": "all"}
    assert paragraphs(text, facts) == ["Dear Jo,", "Bye all"]
    assert filled("{unknown}", facts) is None


@given(st.text(max_size=80), st.dictionaries(st.sampled_from(sorted(FACTS)), st.text(max_size=20)))
def test_filling_in_reads_nothing_into_what_is_filled_in(text: str, facts: dict[str, str]) -> None:
    found = filled(text, facts)
    if found is not None and "{" not in text:
        assert found == text
    once = filled("{buyer.name}", {"buyer.name": "{amount}", "amount": "1"})
    assert once == "{amount}", "what a buyer typed is no placeholder"


def test_two_people_edit_two_languages_and_both_stay() -> None:
    base = {"own": [{"id": "ended", "text": {"en": "One"}}]}
    mine = {"own": [{"id": "ended", "text": {"en": "One", "nl": "Een"}}]}
    theirs = {"own": [{"id": "ended", "text": {"en": "First"}}], "sender": "O"}
    found = merged(base, mine, theirs)
    assert found.body == {"own": [{"id": "ended", "text": {"en": "First", "nl": "Een"}}], "sender": "O"}
    assert not found.clashes
    assert [one.what for one in differences(base, found.body)] == [
        "mail ended, text, en",
        "mail ended, text, nl",
        "name they come from",
    ]


def test_one_makes_a_map_of_what_the_other_words_anew_and_mine_stays() -> None:
    base, mine, theirs = {"foot": "One"}, {"foot": "First"}, {"foot": {"en": "One", "nl": "Een"}}
    assert merged(base, mine, theirs).body == mine
    assert merged(base, theirs, mine).body == theirs
    assert merged(base, mine, theirs).clashes


def test_lines_of_long_ago_stay_lines_in_every_language() -> None:
    kept = {"own": [{"id": "ended", "subject": "a\nb", "text": {"nl": "a\n\nb"}}], "foot": {"en": "a\nb"}}
    assert mended(kept) == {
        "own": [{"id": "ended", "subject": "a b", "text": {"nl": "a\n\nb"}}],
        "foot": {"en": "a\nb"},
    }
    assert OwnMail.model_validate(mended(kept)["own"][0])
