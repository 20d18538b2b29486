"""The plain-text form of questions, with its mistakes by line, and numbers that are drawn."""

from fractions import Fraction
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.questions import BadQuestion, faults_of, grade, read_answer, read_question
from stepladder.core.questions.plain_text import Filed, read_text, write_text
from stepladder.core.questions.table_form import HEADS, read_rows, write_rows
from stepladder.core.questions.variants import BadFormula, draw_values, fill, read_range, reckon, written

TEXT = """\
Topic: Cold chain
Difficulty: easy

One. How warm may the cold store be at most?
right: 5 °C
wrong: 2 °C | Colder than needed.
hint: It stands on the door.

Several. What goes into it?
Note: look twice.

Two are right.
right: Milk
right: Cream
wrong: Rice
all or nothing: yes

False. Gloves replace washing hands.
topic: Hands

Order. Clear a spill.
then: Block the place
then: Wipe it up

Match. Which board is for what?
pair: red = raw meat
pair: green = salad

Topic:

Number. How much water do {portions} portions need?
draw: portions from 10 to 50 by 5
right: portions * 1.5
give or take: 0.5
unit: l

Text. What hangs at the door?
right: the cleaning plan
right: cleaning plan

Long. Say what you do when the store is too warm.
good: Names whom to tell, and what to throw away.
points for: whom to tell, 1
points for: what to throw away, 2

File. Bring a picture of your log.
"""


def test_every_kind_is_read_and_written_again():
    read = read_text(TEXT)
    assert read.mistakes == []
    assert [one.raw["kind"] for one in read.questions] == [
        "one", "several", "true_false", "order", "match", "number", "text", "long", "file",
    ]  # fmt: skip
    assert [(one.topic, one.difficulty) for one in read.questions[1:4]] == [
        ("Cold chain", "easy"), ("Hands", "easy"), ("Cold chain", "easy"),
    ]  # fmt: skip
    assert read.questions[1].raw["text"] == "What goes into it?\nNote: look twice.\n\nTwo are right."
    again = read_text(write_text(read.questions))
    assert [(one.raw, one.topic) for one in again.questions] == [(one.raw, one.topic) for one in read.questions]


def test_a_table_means_the_same_as_the_text():
    read = read_text(TEXT)
    rows = write_rows(read.questions)
    again = read_rows(HEADS, rows, range(2, 2 + len(rows)))
    assert again.mistakes == []
    assert [(one.raw, one.topic, one.difficulty) for one in again.questions] == [
        (one.raw, one.topic, one.difficulty) for one in read.questions
    ]
    wrong = read_rows(
        ["kind", "QUESTION", "right"], [["one", "Which?", "this"], ["both", "?", ""], ["", "", ""]], [2, 5, 6]
    )
    assert [(one.line, one.words) for one in wrong.mistakes] == [
        (2, "this question has fewer than two answers"), (5, "“both” is no kind of question"),
    ]  # fmt: skip
    assert "no column “Question”" in read_rows(["Kind"], [], []).mistakes[0].words


@pytest.mark.parametrize(
    ("text", "line", "words"),
    [
        ("right: yes\n", 1, "stands before the first question"),
        ("One. Which?\nrihgt: this\nwrong: that", 2, "do you mean “right:”?"),
        ("One. Which?\nwrong: this\nwrong: that", 1, "has no right answer"),
        ("Match. Which?\npair: red, meat", 2, "two sides with “ = ” between"),
        ("True. It is so.\nright: yes", 2, "of no use to this kind of question (true)"),
        ("Difficulty: hardest\n", 1, "“hardest” is no difficulty"),
        ("Text. What?\nright: this\nand that", 3, "what is asked stands before the answers"),
        ("Order. How?\nmixed: perhaps", 2, "of no use to this kind"),
        ("One. Which?\nmixed: perhaps\nright: a\nwrong: b", 2, "neither yes nor no"),
        ("Number. How many?\nright: 3 * load", 1, "“load” is no number of this question"),
        ("Number. How many?\ndraw: n 1 to 3\nright: n", 2, "numbers are drawn like this"),
        ("Number. How many?\ndraw: n from 0 to 3 by 1\nright: 6 / n", 1, "divides by nothing when n is 0"),
        ("x" * 2_000_001, 1, "longer than"),
    ],
)
def test_a_mistake_is_named_by_its_line_and_costs_its_question_alone(text, line, words):
    good = "\n\nTrue. It stays."
    read = read_text(text + good)
    assert [(one.line, words in one.words) for one in read.mistakes[:1]] == [(line, True)]
    if len(text) < 1000:
        assert [one.raw["text"] for one in read.questions] == ["It stays."]


words = (
    st.text(st.characters(categories=["L", "N", "P", "S", "Zs"], exclude_characters="{}"), min_size=1, max_size=30)
    .map(lambda said: " ".join(said.split()))
    .filter(lambda said: said.strip("\\ ") == said and said)
)


@given(st.lists(words, min_size=2, max_size=4, unique_by=str.casefold), st.lists(words, min_size=1, max_size=3), words)
def test_whatever_is_asked_comes_back_as_it_was(answers, lines, feedback):
    raw = {
        "kind": "one",
        "text": "\n".join(lines),
        "choices": [{"text": text, "right": at == 0, "feedback": feedback} for at, text in enumerate(answers)],
    }
    if faults_of(raw):
        return
    (found,) = read_text(write_text([Filed(raw)])).questions
    assert found.raw == raw


@pytest.mark.parametrize(
    ("formula", "value"),
    [("2 + 3 * 4", 14), ("-(n - 1) / 4", Fraction(-9, 4)), ("n × 0.1", 1), ("n ÷ 4 − 1", Fraction(3, 2))],
)
def test_formulas_are_reckoned_exactly(formula, value):
    assert reckon(formula, {"n": Fraction(10)}) == value


@pytest.mark.parametrize(
    "formula",
    ["n / 0", "n ** 9", "__import__('os')", "n.real", "1 if n else 2", "m", "", "9" * 300, "(" * 90, "1e999", "n n"],
)
def test_what_is_no_formula_is_refused(formula):
    with pytest.raises(BadFormula):
        reckon(formula, {"n": Fraction(10)})


def test_numbers_are_drawn_so_that_all_can_be_reckoned_and_stand_in_the_text():
    raw = {
        "kind": "number", "text": "{n} portions at {1/n} a pot?", "formula": "n * 1.5",
        "drawn": [{"name": "n", "low": "-10", "high": "30", "step": "10"}],
    }  # fmt: skip
    assert faults_of(raw) == ["has a fault: “1/n” divides by nothing when n is 0"]
    question = read_question(raw)
    seen = set()
    for seed in range(40):
        values = draw_values(question.drawn, raw, Random(seed))
        asked = read_question(fill(raw, values))
        seen.add(values["n"])
        assert grade(asked, read_answer(asked, str(float(Fraction(values["n"]) * Fraction(3, 2))), ())) == 1
    assert seen == {"-10", "10", "20", "30"}
    assert fill(raw, {"n": "30"})["text"] == "30 portions at 0.0333 a pot?"
    # Without numbers to draw braces are braces.
    assert fill({"kind": "text", "text": "{n}"}, {})["text"] == "{n}"


def test_a_range_is_bounded_and_goes_up():
    for said in (
        ("n", "5", "1", "1"),
        ("n", "1", "5", "0"),
        ("n", "0", "1", "0.00001"),
        ("N", "1", "5", "1"),
        ("n", "a", "5", "1"),
    ):
        with pytest.raises(BadFormula):
            read_range(*said)
    assert read_range("n", "0,5", "2", "0.5").count == 4
    with pytest.raises(BadQuestion, match="at most 8 numbers"):
        read_question({"kind": "text", "text": "?", "drawn": [{}] * 9})
    assert written(Fraction(-7, 2)) == "−3.5"
