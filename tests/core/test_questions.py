"""Questions: what an answer is worth, and what cannot be asked. Rule: 7."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.questions import (
    BadAnswer,
    BadQuestion,
    grade,
    problems_of,
    read_answer,
    read_question,
    right_in_words,
    shown_order,
)


def a_question(kind, **said):
    return read_question({"kind": kind, "text": "Which?", **said})


def choices(right, count=4):
    return [{"text": f"answer {n}", "right": n in right} for n in range(count)]


def worth(question, raw, shown=None):
    count = len(question.pairs) or len(question.choices)
    return grade(question, read_answer(question, raw, shown or range(count)))


SEVERAL = a_question("several", choices=choices({0, 1, 2}, 5))
MATCH = a_question("match", pairs=[{"left": f"l{n}", "right": f"r{n}"} for n in range(4)])
ORDER = a_question("order", choices=choices(set(), 4))
NUMBER = a_question("number", number="12.5", tolerance="0.3", unit="m")
TEXT = a_question("text", accepted=["Élan vital", "drive"])


@pytest.mark.parametrize(
    ("question", "raw", "expected"),
    [
        (a_question("one", choices=choices({2})), 2, 1),
        (a_question("one", choices=choices({2})), 0, 0),
        (a_question("one", choices=choices({2})), None, 0),
        (SEVERAL, [0, 1, 2], 1),
        (SEVERAL, [0, 1], Fraction(2, 3)),
        # (right − wrong) / all right, never below 0
        (SEVERAL, [0, 1, 3], Fraction(1, 3)),
        (SEVERAL, [3, 4], 0),
        (a_question("several", choices=choices({0, 1}), all_or_nothing=True), [0], 0),
        (a_question("several", choices=choices({0, 1}), all_or_nothing=True), [1, 0], 1),
        (a_question("true_false", is_true=False), False, 1),
        (a_question("true_false", is_true=False), True, 0),
        (ORDER, [0, 1, 3, 2], Fraction(1, 2)),
        (a_question("order", choices=choices(set(), 3), all_or_nothing=True), [0, 2, 1], 0),
        (MATCH, [0, 1, 2, None], Fraction(3, 4)),
        # exact decimals, ends included
        (NUMBER, "12.8", 1),
        (NUMBER, "12,2", 1),
        (NUMBER, "12.80000001", 0),
        (NUMBER, "a dozen", 0),
        (TEXT, "  elan   VITAL ", 1),
        (TEXT, "elan", 0),
    ],
)
def test_an_answer_is_worth_its_share(question, raw, expected):
    assert worth(question, raw) == expected


def test_what_a_marker_reads_has_no_worth_of_its_own():
    assert grade(a_question("long"), "A long answer") is None


def test_an_answer_speaks_of_places_as_they_were_shown():
    question = a_question("order", choices=choices(set(), 3))
    # Shown as third, first, second: put in order they are the places 1, 2, 0.
    assert worth(question, [1, 2, 0], (2, 0, 1)) == 1


@given(st.integers(2, 12), st.binary(min_size=1, max_size=20))
def test_what_is_put_in_order_is_never_shown_in_its_order(count, seed):
    question = a_question("order", choices=choices(set(), count))
    shown = shown_order(question, seed)
    assert sorted(shown) == list(range(count))
    assert shown != tuple(range(count))
    assert shown == shown_order(question, seed)


@given(st.sets(st.integers(0, 5)), st.sets(st.integers(0, 5), min_size=1))
def test_choosing_all_that_is_right_and_no_more_is_the_only_way_to_everything(right, chosen):
    question = a_question("several", choices=choices(right, 6))
    got = worth(question, sorted(chosen))
    assert 0 <= got <= 1
    assert (got == 1) == (chosen == right)


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        ({"kind": "guess"}, "“kind” is none"),
        ({"kind": "one", "code": "x"}, "no “code”"),
        ({"kind": "one", "choices": [{"text": 4}]}, "“text” is text"),
        ({"kind": "number", "number": "1e99999"}, "“number” is a number"),
        ({"kind": "one", "picture": {"file": "../../etc"}}, "digest"),
        ({"kind": "one", "choices": [{}] * 41}, "at most 40"),
        ([], "is an object"),
    ],
)
def test_what_is_no_question_is_refused_with_its_field(raw, says):
    with pytest.raises(BadQuestion, match=says):
        read_question(raw)


@pytest.mark.parametrize(
    ("question", "raw", "says"),
    [
        (a_question("one", choices=choices({0})), 4, "places shown"),
        (a_question("one", choices=choices({0})), True, "places shown"),
        (SEVERAL, [1, 1], "twice"),
        (ORDER, [0, 1], "every thing"),
        (MATCH, [0, 1], "each left side"),
        (a_question("true_false"), "yes", "true or false"),
        (TEXT, "x" * 20_001, "at most"),
    ],
)
def test_what_is_no_answer_is_refused(question, raw, says):
    shown = range(len(question.pairs) or len(question.choices))
    with pytest.raises(BadAnswer, match=says):
        read_answer(question, raw, shown)


@pytest.mark.parametrize(
    ("question", "missing"),
    [
        (a_question("one"), "has fewer than two answers"),
        (a_question("one", choices=choices(set())), "has no right answer"),
        (a_question("one", choices=choices({0, 1})), "has several right answers, and asks for one"),
        (a_question("several", choices=[{"text": "Bow", "right": True}, {"text": "bow "}]), "same answer twice"),
        (a_question("match", pairs=[{"left": "a", "right": ""}, {"left": "b", "right": "c"}]), "an empty side"),
        (a_question("number"), "has no right number"),
        (a_question("text", accepted=[" "]), "has no answer that is accepted"),
        (read_question({"kind": "long"}), "asks nothing yet"),
    ],
)
def test_what_cannot_be_asked_says_why(question, missing):
    assert any(missing in said for said in problems_of(question)), problems_of(question)


def test_what_is_right_is_said_in_words():
    assert right_in_words(NUMBER) == ["12.5 ± 0.3 m"]
    assert right_in_words(MATCH)[0] == "l0 – r0"
