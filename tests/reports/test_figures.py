"""What reports count: each figure opens exactly the rows that it counts. Rule: 16."""

import pytest
from django.urls import reverse

from stepladder.charts.actions import rename_node
from stepladder.core.reports import PERIODS, Count, Rate
from stepladder.learning.actions import record_completion, revoke_completion
from stepladder.learning.models import Completion
from stepladder.outside.actions import OutsideSaid, record_outside
from stepladder.people.models import Person
from stepladder.reports.counted import every_counted
from stepladder.reports.groupings import groupings_of
from stepladder.reports.ready import READY
from stepladder.reports.rows import ReportRows
from stepladder.reports.running import opened, run
from stepladder.reports.saying import bare
from stepladder.reports.sentences import Sentence, asked_of
from tests import factories as f
from tests.reading import page_text


def asked(figure, by="", then="", *, account=None, first="1 Mar 2026", last="today", **more):
    found, errors = asked_of(
        Sentence(figure=figure, by=by, then=then, first=first, last=last, **more),
        account or f.an_account("administrator"),
    )
    assert errors == []
    return found


def told(figure, by="", then="", **more):
    """Names of groups → the figure as it is written."""
    report = run(asked(figure, by, then, **more))
    return {
        ", ".join(line.names): bare(report.asked.figure, line.values[report.asked.figure.key]) for line in report.lines
    }


def total(figure, **more):
    report = run(asked(figure, **more))
    return bare(report.asked.figure, report.total[report.asked.figure.key])


def check_rows(report):
    """Every figure of every group opens as many rows as it says."""
    figures = report.asked.counted.figures if len(report.asked.groupings) < 2 else [report.asked.figure]
    for codes, values in [((), report.total), *((line.codes, line.values) for line in report.lines)]:
        for figure in figures:
            rows = opened(report.asked, codes, figure, part=False)
            assert len(rows) == values[figure.key].rows, (report.asked.sentence, codes, figure.key)
            if isinstance(figure, Count):
                assert len(rows) == values[figure.key].number
            if isinstance(figure, Rate):
                assert len(opened(report.asked, codes, figure, part=True)) == values[figure.key].part
            if not codes and not report.asked.groupings:
                assert len(ReportRows(report.asked.counted, rows, "name", report.asked.account)[:50]) == min(
                    len(rows), 50
                )


def test_every_figure_of_every_group_opens_its_rows(fleet):
    account = f.an_account("administrator")
    checked = 0
    for counted in every_counted():
        keys = [grouping.key for grouping in groupings_of(counted)] + ["month"]
        pairs = [("", ""), *((key, "") for key in keys), *((key, "month") for key in keys[1:2])]
        for by, then in pairs:
            report = run(asked(f"{counted.key}.{counted.figures[0].key}", by, then, account=account))
            check_rows(report)
            checked += len(report.lines)
    assert checked > 100


def test_ready_reports_can_be_asked(fleet):
    account = f.an_account("administrator")
    for ready in READY:
        if not ready.address:
            found, errors = asked_of(ready.sentence, account)
            assert errors == []
            assert run(found).asked.figure.label


def test_rates_are_taken_on_the_last_day_of_each_period_in_the_units_of_that_day(fleet):
    # Ada, Bo and Dora of five have it since April; due by 31 March, so all are late on the last of March.
    assert told("requirements.covered", "month") == {"Mar 2026": "0", "Apr 2026": "60", "May 2026": "60"}
    assert told("requirements.on_time", "month", first="1 Apr 2026") == {"Apr 2026": "60", "May 2026": "60"}
    # Ada was on the Dunlin in April and is on the Knot in May.
    by_unit = told("requirements.covered", "unit2", "month", first="1 Apr 2026")
    assert by_unit == {
        "Dunlin, Apr 2026": "67",
        "Dunlin, May 2026": "50",
        "Knot, Apr 2026": "50",
        "Knot, May 2026": "67",
    }
    assert told("requirements.covered", "unit1", last="30 Apr 2026") == {"Fleet": "60"}
    # By course nobody is looked at one by one; each figure opens as many rows as it counts all the same.
    for by in ("course", "topic"):
        by_month = run(asked("requirements.covered", by, "month"))
        check_rows(by_month)
        assert [line.values["covered"].part for line in by_month.lines] == [0, 3, 3]
    knot = f.a_unit("Knot").public_id
    assert total("requirements.asked", of=knot) == "3"
    assert total("requirements.asked", of=knot, last="30 Apr 2026") == "2"


def test_figures_as_they_were_known_on_a_day_before(fleet):
    """Of the three that have it one was recorded by 10 April. Ada's move was not known then, nor is a correction of today yesterday."""
    course, crew = fleet
    then = {"known": "10 Apr 2026"}
    assert told("requirements.covered", "month", **then) == {"Mar 2026": "0", "Apr 2026": "20", "May 2026": "20"}
    assert told("requirements.covered", "unit2", **then) == {"Dunlin": "33", "Knot": "0"}
    assert told("requirements.covered", "unit2", "course", **then) == {"Dunlin, Fire": "33", "Knot, Fire": "0"}
    assert told("completions.completions", "unit2", **then) == {"Dunlin": "1"}
    assert total("completions.days_taken", **then) == "32"
    record_completion(person=crew[2], course=course, edition=course.editions.get(), day=f.d("2026-04-28"), by=f.BY)
    revoke_completion(completion=Completion.objects.get(person=crew[1]), because="Somebody else's", by=f.BY)
    yesterday = asked("completions.completions", "unit2", known="13 May 2026")
    check_rows(run(yesterday))
    check_rows(run(asked("requirements.covered", "unit2", known="13 May 2026")))
    rename_node(node=f.a_unit("Knot"), name="Ringed plover", by=f.BY)
    # Both are on the Dunlin: of Bo it was known, of Cleo it is.
    assert told("completions.completions", "unit2", known="13 May 2026") == {"Dunlin": "2", "Knot": "1"}
    assert told("completions.completions", "unit2") == {"Dunlin": "2", "Ringed plover": "1"}
    assert who_completed(known="13 May 2026") == {"Ada", "Bo", "Dora"}
    assert who_completed() == {"Ada", "Cleo", "Dora"}


def who_completed(**more):
    rows = asked("completions.completions", **more)
    found = opened(rows, (), rows.figure, part=False).person.tolist()
    return set(Person.objects.filter(pk__in=found).values_list("given_name", flat=True))


@pytest.mark.parametrize(
    ("figure", "known", "said"),
    [
        ("time.hours", "10 Apr 2026", "Of time spent only what is known today is told"),
        ("requirements.covered", "today+1d", "not known yet"),
        ("requirements.covered", "when it was", "when it was"),
    ],
)
def test_what_is_not_known_by_a_second_clock_says_so(fleet, figure, known, said):
    found, errors = asked_of(Sentence(figure=figure, known=known), f.an_account("administrator"))
    assert found is None
    assert said in " ".join(errors)


def test_what_was_done_and_how_long_that_took(fleet):
    assert told("completions.completions", "unit") == {"Dunlin": "2", "Knot": "1"}
    assert told("completions.completions", "month") == {"Mar 2026": "0", "Apr 2026": "3", "May 2026": "0"}
    # From 1 March: 32, 50 and 50 days.
    assert total("completions.days_taken") == "50 (41–50)"
    assert total("completions.score") == "few"
    assert told("completions.people", "topic") == {"Safety": "3"}


def test_hours_are_those_of_attempts_and_of_sessions(fleet):
    # Three times twenty minutes and twice two hours.
    assert total("time.hours") == "5.0"
    assert told("time.hours", "kind") == {"document": "1.0", "session": "4.0"}
    # Seven people are there; the two of Shore have learned two hours together.
    assert total("time.hours_a_head") == "0.7"
    assert told("time.hours_a_head", "unit1") == {"Fleet": "0.6", "Shore": "1.0"}


def test_seats_and_who_taught(fleet):
    assert told("seats.used", "instructor") == {"Orr, Gus": "75"}
    assert (total("seats.attended"), total("seats.absent"), total("seats.attendance")) == ("2", "1", "67")
    assert (total("seats.sessions"), total("seats.hours_taught"), total("seats.offered")) == ("1", "2.0", "4")
    assert told("seats.taken", "venue") == {"Marram Quay": "3"}
    # Of a unit only the seats of its people are there.
    assert total("seats.offered", of=f.a_unit("Shore").public_id) == "1"


def test_who_learns_at_all(fleet):
    nothing = opened(asked("people.learned_nothing"), (), asked("people.learned_nothing").figure, part=False)
    assert len(nothing) == 3
    assert told("people.learned", "unit1") == {"Fleet": "60", "Shore": "50"}
    # One can sign in, and opened something in April only.
    assert told("people.adoption", "month", first="1 Apr 2026") == {"Apr 2026": "100", "May 2026": "0"}
    assert total("use.opened") == "3"
    assert (total("use.kept"), total("use.noted"), total("use.passed_on")) == ("1", "1", "0")


def test_nobody_gets_more_than_they_may_see(fleet):
    boss = f.a_person("Hugo Vane", unit="Knot", position="Master")
    f.a_lead("Master")
    manager = f.an_account("learner", name="Hugo Vane", person=boss)
    found = asked("completions.completions", "unit", account=manager)
    # The Knot has Ada, Dora and Eli; Ada completed it while she was on the Dunlin.
    assert {line.names[0]: line.values["completions"].number for line in run(found).lines} == {"Dunlin": 1, "Knot": 1}
    seats = run(asked("seats.offered", account=manager)).total
    assert (seats["offered"].number, seats["sessions"].number) == (1, 0)


@pytest.mark.parametrize("unit", PERIODS)
def test_a_span_of_nothing_has_figures_of_nothing(fleet, unit):
    """Days before the first fact, and in ten years."""
    before = {"first": "1 Jan 1990", "last": "5 Jan 1990"}
    assert set(told("completions.completions", unit, **before).values()) == {"0"}
    assert set(told("requirements.covered", unit, **before).values()) == {"–"}
    later = {"first": "today", "last": "14 May 2036"}
    if unit == "year":
        # Nobody learns anything more: whoever had it has it no longer.
        assert told("requirements.covered", unit, **later)["2036"] == "0"
        assert told("time.hours", unit, **later)["2036"] == "0.0"


def test_hours_elsewhere_stand_beside_the_hours_and_on_the_record(fleet, client):
    course, (ada, *_) = fleet
    for about, title, minutes in ((course, "", 90), (None, "First aid at sea", 450)):
        said = OutsideSaid(about, title, f.d("2026-04-10"), None, "Holm Fire School", minutes, "", None, "")
        record_outside(person=ada, said=said, by=f.BY)
    assert (total("time.hours"), total("time.hours_outside")) == ("5.0", "9.0")
    assert told("time.hours_outside", "course") == {"Fire": "1.5", "in no course": "7.5"}
    client.force_login(f.an_account("administrator"))
    record, files = (
        reverse("records:record", args=[ada.public_id]),
        reverse("records:transcript", args=[ada.public_id, "json"]),
    )
    assert '2026 <b class="fig">2 h 20</b>' in page_text(client.get(record))
    assert '<span class="fig">9 h 00</span> elsewhere' in page_text(client.get(record))
    year = {"year_begins": "2026-01-01", "minutes": 140, "minutes_elsewhere": 540}
    assert client.get(files).json()["hours"] == [year]
    # Before the drill; and as known before anybody wrote down what was learned elsewhere.
    before = client.get(files, {"day": "30 Apr 2026"}).json()["hours"]
    assert before == [year | {"minutes": 20}]
    assert client.get(files, {"known": "12 May 2026"}).json()["hours"] == [year | {"minutes_elsewhere": 0}]
    assert client.get(files, {"day": "1 Mar 2026"}).json()["hours"] == []
    assert client.get(files.replace("json", "pdf")).content.startswith(b"%PDF")
