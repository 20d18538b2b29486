from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.days import FOREVER, Period, Span
from stepladder.core.validity import Cap, Completion, Terms, TermsHistory, chain, link_on, valid_spans


def d(text: str) -> date:
    return date.fromisoformat(text)


def terms(validity: str, window: int) -> Terms:
    if validity == "calendar year":
        return Terms(window_days=window, calendar_year=True)
    return Terms(Period.parse(validity), window)


@pytest.mark.parametrize(
    ("validity", "window", "taken", "valid_until"),
    [
        ("12 months", 60, "2025-03-10", "2026-03-10"),
        ("12 months", 60, "2025-03-10 2026-02-01", "2027-03-10"),
        ("12 months", 60, "2025-03-10 2026-02-01 2026-02-15", "2027-03-10"),
        ("12 months", 60, "2025-03-10 2025-11-01", "2026-11-01"),
        ("12 months", 60, "2025-03-10 2025-11-01 2026-10-15", "2027-11-01"),
        ("12 months", 60, "2025-03-10 2026-03-11", "2027-03-11"),
        ("12 months", 60, "2025-03-10/2025-12-31 2025-12-01", "2026-12-31"),
        ("24 months", 90, "2024-02-29 2026-02-28", "2028-02-29"),
        ("1 month", 5, "2027-01-31 2027-02-28 2027-03-31", "2027-04-30"),
        ("calendar year", 60, "2025-11-20", "2026-12-31"),
        ("calendar year", 60, "2025-11-01", "2026-12-31"),
        ("calendar year", 60, "2025-10-20", "2025-12-31"),
    ],
)
def test_valid_until(validity, window, taken, valid_until):
    completions = []
    for one in taken.split():
        day, _, own = one.partition("/")
        completions.append(Completion(d(day), own_expiry=d(own) if own else None))
    links = chain(completions, TermsHistory.always(terms(validity, window)))
    assert links[-1].valid_until == d(valid_until)


def test_a_changed_validity_holds_for_completions_from_that_day_on():
    history = TermsHistory(((date.min, terms("12 months", 60)), (d("2026-01-01"), terms("24 months", 60))))
    links = chain([Completion(d("2025-03-10")), Completion(d("2026-02-01"))], history)
    assert links[-1].valid_until == d("2028-03-10")


YEARLY = TermsHistory.always(Terms(Period.parse("12 months"), 60, 30))


def test_an_expiry_of_its_own_earlier_than_the_one_in_force_shortens_nothing():
    links = chain([Completion(d("2026-01-01")), Completion(d("2026-03-01"), own_expiry=d("2026-06-30"))], YEARLY)
    assert links[-1].valid_until == d("2027-01-01")
    assert links[-1].taken == d("2026-03-01")


def test_without_validity_it_never_expires():
    assert chain([Completion(d("2020-01-01"))], TermsHistory.always(Terms()))[-1].valid_until == FOREVER


def test_what_was_valid_on_a_past_day_goes_by_the_completions_up_to_then():
    links = chain([Completion(d("2025-03-10")), Completion(d("2026-02-01"))], YEARLY)
    assert link_on(links, d("2025-03-09")) is None
    assert link_on(links, d("2026-01-31")).valid_until == d("2026-03-10")
    assert link_on(links, d("2026-02-01")).valid_until == d("2027-03-10")


def test_changed_terms_hold_from_their_own_day_on():
    shorter = Terms(Period.parse("3 months"))
    history = TermsHistory(((date.min, Terms(Period.parse("12 months"))), (d("2026-05-01"), shorter)))
    assert [history.on(d(day)) == shorter for day in ("2026-04-30", "2026-05-01")] == [False, True]
    # With a release of the same day: the old one is capped before the new one is looked at, whatever was longer.
    links = chain([Completion(d("2026-01-01")), Completion(d("2026-05-01"), edition=2)], history, RETAKE)
    assert links[-1].valid_until == d("2026-08-01")


def test_evidence_to_the_very_day_in_force_leaves_the_chain_as_it_was():
    monthly = TermsHistory.always(Terms(Period.parse("1 month"), window_days=5))
    taken = [
        Completion(d("2026-01-31")),
        Completion(d("2026-02-10"), own_expiry=d("2026-02-28")),
        Completion(d("2026-02-25")),
    ]
    assert chain(taken, monthly)[-1].valid_until == d("2026-03-31")


def test_an_older_edition_that_comes_later_does_not_ask_for_a_retake_again():
    taken = [
        Completion(d("2026-05-10"), edition=2),
        Completion(d("2026-06-01"), edition=1),
        Completion(d("2027-04-20"), edition=2),
    ]
    assert chain(taken, YEARLY, RETAKE)[-1].valid_until == d("2028-05-10")


def test_a_gap_between_completions_is_a_gap_in_the_days_held():
    links = chain([Completion(d("2024-01-01")), Completion(d("2025-06-01"))], YEARLY)
    assert valid_spans(links) == [Span(d("2024-01-01"), d("2025-01-01")), Span(d("2025-06-01"), d("2026-06-01"))]


RETAKE = [Cap(day=d("2026-05-01"), edition=2, until=d("2026-07-31"))]


def test_a_retake_asked_for_caps_older_editions_from_the_release_on():
    links = chain([Completion(d("2026-01-01"))], YEARLY, RETAKE)
    assert link_on(links, d("2026-04-30")).valid_until == d("2027-01-01")
    assert link_on(links, d("2026-05-01")).valid_until == d("2026-07-31")


def test_an_older_edition_finished_late_is_capped_too():
    links = chain([Completion(d("2026-06-01"), edition=1)], YEARLY, RETAKE)
    assert links[-1].valid_until == d("2026-07-31")


def test_the_retake_starts_a_chain_of_its_own():
    links = chain([Completion(d("2026-01-01")), Completion(d("2026-07-01"), edition=2)], YEARLY, RETAKE)
    assert links[-1].valid_until == d("2027-07-01")
    assert links[-1].anchor == d("2026-07-01")


def test_a_completion_on_the_release_day_itself_is_asked_for_anew():
    links = chain([Completion(d("2026-01-01")), Completion(d("2026-05-01"))], YEARLY, RETAKE)
    assert (links[-1].valid_until, links[-1].taken) == (d("2026-07-31"), d("2026-05-01"))
    # Of the new edition it begins a chain of its own, also within the window of the old one.
    early = chain([Completion(d("2025-06-01")), Completion(d("2026-05-01"), edition=2)], YEARLY, RETAKE)
    assert [(link.first, link.valid_until) for link in early] == [
        (d("2025-06-01"), d("2026-06-01")),
        (d("2026-05-01"), d("2027-05-01")),
    ]


def test_of_two_releases_on_a_day_the_stricter_retake_counts():
    caps = [*RETAKE, Cap(day=d("2026-05-01"), edition=3, until=d("2026-06-15"))]
    for some in (caps, caps[::-1]):
        links = chain([Completion(d("2026-01-01"))], YEARLY, some)
        assert [(link.first, link.valid_until) for link in links] == [
            (d("2026-01-01"), d("2027-01-01")),
            (d("2026-05-01"), d("2026-06-15")),
        ]
        assert chain([Completion(d("2026-05-20"), edition=2)], YEARLY, some)[-1].valid_until == d("2026-06-15")


def test_a_retake_whose_old_expiry_lies_before_the_retake_day_is_a_new_chain():
    links = chain([Completion(d("2025-07-10")), Completion(d("2026-06-20"), edition=2)], YEARLY, RETAKE)
    assert (links[-1].valid_until, links[-1].anchor) == (d("2027-06-20"), d("2026-06-20"))
    # Where none is asked all editions are one chain.
    assert chain([Completion(d("2025-07-10")), Completion(d("2026-06-20"), edition=2)], YEARLY)[-1].valid_until == d(
        "2027-07-10"
    )


def test_a_retake_shortens_what_never_expires_and_nothing_is_longer_for_it():
    links = chain([Completion(d("2026-01-01"))], TermsHistory.always(Terms()), RETAKE)
    assert links[-1].valid_until == d("2026-07-31")
    assert chain([Completion(d("2025-07-10"))], YEARLY, RETAKE)[-1].valid_until == d("2026-07-10")


def test_an_older_edition_that_renews_late_counts_to_the_retake_day():
    links = chain([Completion(d("2025-06-01"), 2), Completion(d("2026-05-10"), 1)], YEARLY, RETAKE)
    assert links[-1].valid_until == d("2026-07-31")


def test_who_holds_the_new_edition_renews_it_as_one_chain():
    taken = [Completion(d("2026-05-10"), 2), Completion(d("2027-04-20"), 2)]
    assert chain(taken, YEARLY, RETAKE)[-1].valid_until == d("2028-05-10")


def test_the_days_held_end_with_the_link_that_follows_and_may_be_one():
    links = chain([Completion(d("2026-01-01"))], YEARLY, RETAKE)
    assert valid_spans(links) == [Span(d("2026-01-01"), d("2026-04-30")), Span(d("2026-05-01"), d("2026-07-31"))]
    assert valid_spans(chain([Completion(d("2026-01-01"), own_expiry=d("2026-01-01"))], YEARLY)) == [
        Span(d("2026-01-01"), d("2026-01-01"))
    ]
    assert valid_spans([]) == []


@pytest.mark.parametrize(
    ("first", "until", "again", "expected"),
    [
        # 12 months, then calendar years: the old expiry lies within the window of its year's end.
        ("2025-12-05", None, "2026-11-20", "2027-12-31"),
        ("2025-09-05", None, "2026-08-20", "2026-12-31"),
        ("2026-12-26", "2027-12-06", "2027-11-02", "2028-12-31"),
        ("2026-12-26", "2027-12-31", "2027-11-02", "2028-12-31"),
    ],
)
def test_calendar_years_after_another_validity_or_an_expiry_of_its_own(first, until, again, expected):
    history = TermsHistory(((date.min, terms("12 months", 60)), (d("2026-06-01"), terms("calendar year", 60))))
    taken = [Completion(d(first), own_expiry=d(until) if until else None), Completion(d(again))]
    assert chain(taken, history)[-1].valid_until == d(expected)


@pytest.mark.parametrize(
    ("day", "until"),
    [
        ("2026-01-09", "2027-01-09"),
        ("2026-01-10", "2027-03-11"),
        ("2026-03-11", "2027-03-11"),
        ("2026-03-12", "2027-03-12"),
    ],
)
def test_the_window_includes_its_first_day_and_the_expiry(day, until):
    links = chain([Completion(d("2025-03-11")), Completion(d(day))], YEARLY)
    assert links[-1].valid_until == d(until)


def test_a_later_completion_with_an_expiry_of_its_own_is_a_new_anchor():
    links = chain(
        [
            Completion(d("2025-03-10")),
            Completion(d("2026-02-01"), own_expiry=d("2026-12-24")),
            Completion(d("2026-12-01")),
        ],
        YEARLY,
    )
    assert [link.valid_until for link in links] == [d("2026-03-10"), d("2026-12-24"), d("2027-12-24")]


def test_of_several_on_a_day_the_newest_edition_and_the_longest_expiry_speak():
    same = [Completion(d("2026-05-02"), 1, d("2029-01-01")), Completion(d("2026-05-02"), 2, d("2026-09-01"), key=7)]
    for some in (same, same[::-1]):
        (link,) = chain(some, YEARLY)
        assert (link.valid_until, link.edition, link.key) == (d("2026-09-01"), 2, 7)


days = st.dates(min_value=date(2020, 1, 1), max_value=date(2030, 12, 31))
completions = st.builds(
    lambda day, own, edition: Completion(day, edition, day + timedelta(days=own) if own else None),
    days,
    st.one_of(st.none(), st.integers(0, 900)),
    st.integers(1, 2),
)
all_terms = st.builds(
    lambda v, w, y: TermsHistory.always(Terms(Period(months=v), w, calendar_year=y)),
    st.integers(3, 36),
    st.integers(0, 60),
    st.booleans(),
)


@given(st.lists(completions, max_size=6), completions, all_terms)
def test_a_further_completion_never_moves_an_expiry_back(some, one_more, history):
    last = max([c.day for c in some], default=date(2020, 1, 1))
    later = Completion(last + timedelta(days=1 + one_more.day.day), one_more.edition, None)
    before, after = chain(some, history), chain([*some, later], history)
    assert not before or after[-1].valid_until >= before[-1].valid_until


@given(st.lists(completions, max_size=6), all_terms)
def test_expiries_only_grow_along_a_chain(some, history):
    expiries = [link.valid_until for link in chain(some, history)]
    assert expiries == sorted(expiries)


@given(st.lists(completions, min_size=1, max_size=6), all_terms, days)
def test_the_link_of_a_day_is_what_the_completions_up_to_then_give(some, history, day):
    up_to = [c for c in some if c.day <= day]
    expected = chain(up_to, history)
    found = link_on(chain(some, history), day)
    assert (found and found.valid_until) == (expected[-1].valid_until if expected else None)
