"""The stand-alone check reckons validity as the core does, though it knows nothing of it."""

from datetime import date, timedelta

from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.days import FOREVER, Period
from stepladder.core.validity import Cap, Completion, Terms, TermsHistory, chain, link_on
from stepladder.evidence.check import Facts

START = date(2024, 1, 1)
days = st.integers(0, 1200).map(lambda n: START + timedelta(days=n))
terms = st.builds(
    lambda months, extra, is_year, window: (months, extra, is_year, window),
    st.sampled_from([0, 1, 12, 24]),
    st.sampled_from([0, 0, 10]),
    st.booleans(),
    st.sampled_from([0, 30, 60]),
)
taken = st.tuples(days, st.integers(1, 3), st.none() | days)


@given(
    dated=st.lists(st.tuples(days, terms), min_size=0, max_size=3, unique_by=lambda one: one[0]),
    completions=st.lists(taken, max_size=6),
    caps=st.lists(st.tuples(days, st.integers(2, 3), days), max_size=2, unique_by=lambda one: one[1]),
    day=days,
)
def test_it_comes_to_the_same_day_as_the_core(dated, completions, caps, day):
    as_facts = {"recorded_on": "2020-01-01", "revoked_on": None}
    rows = {
        "courses_courseterms": {
            n: {
                **as_facts,
                "course_id": 1,
                "from_day": str(start),
                "months": m,
                "days": d,
                "is_calendar_year": y,
                "window_days": w,
            }
            for n, (start, (m, d, y, w)) in enumerate(dated)
        },
        "courses_edition": {
            **{n: {"course_id": 1, "number": n} for n in (1, 2, 3)},
            **{
                number: {"course_id": 1, "number": number, "released_on": str(start), "retake_by": str(until)}
                for start, number, until in caps
            },
        },
        "learning_completion": {
            n: {
                **as_facts,
                "id": n,
                "person_id": 7,
                "course_id": 1,
                "edition_id": edition,
                "day": str(on),
                "own_expiry": str(on + (own - START)) if own else None,
                "number": f"C{n}",
            }
            for n, (on, edition, own) in enumerate(completions)
        },
    }
    facts = Facts(
        {table: {k: ("", row) for k, row in of.items()} for table, of in rows.items()},
        {"day": str(day), "known_on": "2030-01-01"},
    )
    history = TermsHistory(
        tuple((start, Terms(Period(m, d) if m or d else None, w, 0, y)) for start, (m, d, y, w) in sorted(dated))
        or ((date.min, Terms()),)
    )
    links = chain(
        [
            Completion(on, edition, on + (own - START) if own else None, n)
            for n, (on, edition, own) in enumerate(completions)
        ],
        history,
        [Cap(*cap) for cap in sorted(caps)],
    )
    link = link_on(links, day)
    found = facts.held(7, 1)
    if link is None:
        assert found is None
    else:
        assert found == (link.valid_until, link.taken, f"C{link.key}", link.terms.window_days)
        assert link.valid_until <= FOREVER
