"""When a notice rule speaks, by the table of rule 13: working days Monday to Friday."""

from datetime import timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.columns import RANK, RequirementColumns
from stepladder.core.requirements import Status
from stepladder.core.telling import WORKING_WEEK, Moment, QuietDays, days_meant, sent_on, spoken_of, to_come
from tests.core.test_board import columns
from tests.factories import d

HOLIDAY = QuietDays(dates=frozenset({d("2027-03-08")}))
OPENED = d("2027-03-01")


@pytest.mark.parametrize(
    ("due", "offset", "quiet", "sent"),
    [
        ("2027-03-15", -14, WORKING_WEEK, None),
        ("2027-03-15", -7, WORKING_WEEK, "2027-03-08"),
        ("2027-03-15", -1, WORKING_WEEK, "2027-03-12"),
        ("2027-03-12", +1, WORKING_WEEK, "2027-03-15"),
        ("2027-03-15", -7, HOLIDAY, "2027-03-05"),
        # Leave of 03-05 to 03-10 has moved the due day.
        ("2027-03-21", -7, WORKING_WEEK, "2027-03-12"),
        ("2027-03-29", -7, WORKING_WEEK, "2027-03-22"),
        # The day itself goes with those before it.
        ("2027-03-14", 0, WORKING_WEEK, "2027-03-12"),
    ],
)
def test_it_is_sent_on_a_working_day_before_or_after_the_day_meant(due, offset, quiet, sent):
    meant = d(due) + timedelta(days=offset)
    assert sent_on(meant, offset, opened=OPENED, quiet=quiet) == (d(sent) if sent else None)


def test_a_week_without_a_working_day_is_refused():
    with pytest.raises(ValueError, match="nothing would ever be sent"):
        QuietDays(frozenset(range(7)))


@given(
    st.integers(-400, 400),
    st.integers(-60, 60),
    st.sets(st.integers(0, 6), max_size=6),
    st.sets(st.integers(-20, 20), max_size=12),
)
def test_the_days_meant_on_a_day_are_those_that_are_sent_on_it(shift, offset, weekdays, dates):
    start = d("2027-03-01") + timedelta(days=shift)
    quiet = QuietDays(frozenset(weekdays), frozenset(start + timedelta(days=n) for n in dates))
    near = [start + timedelta(days=n) for n in range(-60, 61)]
    sent = [day for day in near if sent_on(day, offset, opened=d("2000-01-01"), quiet=quiet) == start]
    assert days_meant(start, offset, quiet) == sent


def rows(*stands):
    return columns(
        RequirementColumns,
        [
            {
                "person": person,
                "course": 1,
                "rank": RANK[status],
                "mandatory": True,
                "due": d(due).toordinal(),
                "opened": d(opened).toordinal(),
                "valid_until": d(until).toordinal() if until else 0,
                "needed_by": 0,
            }
            for person, (status, due, opened, until) in enumerate(stands)
        ],
    )


def test_it_speaks_only_of_what_still_stands_so():
    asked = rows(
        (Status.TO_DO, "2027-03-15", "2027-03-01", None),
        (Status.CURRENT, "2027-03-15", "2027-03-01", "2028-03-09"),
        (Status.DUE_SOON, "2027-03-15", "2027-03-08", None),
        (Status.DUE_SOON, "2027-03-14", "2027-03-01", None),
        (Status.OVERDUE, "2027-03-07", "2027-02-01", None),
        (Status.LAPSED, "2026-03-07", "2026-02-01", "2027-03-06"),
    )

    def told(moment, offset, day):
        meant = days_meant(d(day), offset, WORKING_WEEK)
        places, days = spoken_of(asked, moment, offset, meant, day=d(day))
        return dict(zip(places.tolist(), days.tolist(), strict=True))

    # Of the one opened on that day it is left out; the one that is done is spoken of no more.
    assert told(Moment.DUE, -7, "2027-03-08") == {0: d("2027-03-08").toordinal()}
    # Sunday is meant by the Friday before.
    assert told(Moment.DUE, 0, "2027-03-12") == {3: d("2027-03-14").toordinal()}
    assert told(Moment.DUE, 1, "2027-03-08") == {4: d("2027-03-08").toordinal()}
    assert told(Moment.EXPIRY, 1, "2027-03-08") == {5: d("2027-03-07").toordinal()}
    assert told(Moment.EXPIRY, -366, "2027-03-09") == {1: d("2027-03-09").toordinal()}


def test_what_would_be_told_on_days_to_come_if_nothing_is_done():
    asked = rows(
        (Status.TO_DO, "2027-03-15", "2027-03-01", None),
        (Status.CURRENT, "2026-03-15", "2026-03-01", "2027-03-13"),
        (Status.OVERDUE, "2027-03-06", "2027-02-01", None),
    )
    days = [d("2027-03-08") + timedelta(days=n) for n in range(9)]

    def foretold(moment, offset):
        found = to_come(asked, moment, offset, days=days, quiet=WORKING_WEEK)
        return {str(day): places.tolist() for day, places in zip(days, found, strict=True) if len(places)}

    assert foretold(Moment.DUE, 1) == {"2027-03-08": [2], "2027-03-16": [0]}
    assert foretold(Moment.EXPIRY, 0) == {"2027-03-12": [1]}
    assert foretold(Moment.EXPIRY, 1) == {"2027-03-15": [1]}
    assert np.concatenate(to_come(asked, Moment.DUE, -7, days=days, quiet=HOLIDAY)).tolist() == []
