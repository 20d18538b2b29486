"""Two texts beside each other."""

from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.differences import differences


def said(before, after):
    return [(piece.kind, piece.text.strip()) for piece in differences(before, after) if piece.text.strip()]


def test_a_word_is_shown_in_its_sentence_and_a_sentence_by_itself():
    before = "Stand clear of the line. Never step over it. Call out."
    after = "Stand well clear of the line. Call out. Watch the bight."
    assert said(before, after) == [
        ("same", "Stand"),
        ("new", "well"),
        ("same", "clear of the line."),
        ("gone", "Never step over it."),
        ("same", "Call out."),
        ("new", "Watch the bight."),
    ]
    assert said(before, before) == [("same", before)]
    assert said("One thing.", "Quite another matter.") == [("gone", "One thing."), ("new", "Quite another matter.")]


texts = st.lists(st.sampled_from(["Stand", "clear.", "line", "over!", "Never", "\n"]), max_size=30).map(" ".join)


@given(texts, texts)
def test_each_text_can_be_put_together_again(before, after):
    pieces = differences(before, after)
    for text, kinds in ((before, ("same", "gone")), (after, ("same", "new"))):
        assert "".join(piece.text for piece in pieces if piece.kind in kinds).split() == text.split()
