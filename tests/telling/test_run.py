"""The daily run of the notice rules: who is told what, once, and in one message."""

from datetime import timedelta

import pytest
from django.db import transaction

from stepladder import clock
from stepladder.accounts.actions import change_settings
from stepladder.accounts.models import Organisation
from stepladder.accounts.organisation import forget
from stepladder.assignments import actions as assigning
from stepladder.notices.models import Notice
from stepladder.people import actions as people
from stepladder.queue.actions import at_once
from stepladder.telling.actions import RuleSaid, add_rule, change_rule, end_rule, set_quiet_days
from stepladder.telling.errors import TellingError
from stepladder.telling.models import Told
from stepladder.telling.tasks import enqueue_notices
from stepladder.web.models import DailyRun
from tests import factories as f
from tests.assignments.test_paths import a_path, complete
from tests.assignments.test_paths import assign as assign_path

BY = f.BY


@pytest.fixture(autouse=True)
def monday(organisation, media, on):
    on("2027-03-01")


def asked(course, *who, due="2027-03-15", **rule):
    reach = {"in": None, "named_in": [person.pk for person in who], "named_out": []}
    rule = f.a_rule(reach, **{"due_trigger": "", "due_days": 0, "due_day": f.d(due), **rule})
    return assigning.assign(course=course, name=f"All do {course.title}", message="", rule=rule, by=BY)


def tell(moment, offset, *to, of=None, **said):
    return add_rule(of=of, said=RuleSaid(moment, offset, to or ["person"], **said), by=BY)


def run(on, day):
    """The messages of the run of a day: (to whom, subject)."""
    on(day)
    before = set(Notice.objects.values_list("pk", flat=True))
    with transaction.atomic(), at_once():
        enqueue_notices()
    rows = Notice.objects.filter(kind="day").exclude(pk__in=before).order_by("pk")
    return [(row.person.name, row.subject) for row in rows]


def test_what_is_due_is_told_before_and_after_its_day_while_it_still_holds(on):
    fire = f.a_course("Fire", months=12)
    jun, ada = f.a_person("Jun Pellam"), f.a_person("Ada Venn")
    asked(fire, jun, ada)
    for offset in (-7, -1, 1):
        tell("due", offset)
    assert run(on, "2027-03-05") == []
    due = "“Fire” is to be done by 15 Mar 2027"
    assert run(on, "2027-03-08") == [("Jun Pellam", due), ("Ada Venn", due)]
    # Once, however often it runs.
    DailyRun.objects.all().delete()
    assert run(on, "2027-03-08") == []
    on("2027-03-09")
    complete(jun, fire, "2027-03-09")
    # The day before is a Sunday: on Friday, and only to who has not done it.
    assert run(on, "2027-03-12") == [("Ada Venn", due)]
    assert run(on, "2027-03-14") == []
    assert run(on, "2027-03-15") == []
    assert run(on, "2027-03-16") == [("Ada Venn", "“Fire” was to be done by 15 Mar 2027")]
    assert Told.objects.count() == 4


def test_a_day_that_moves_is_told_again_and_one_that_moves_to_and_fro_is_not(on):
    fire, jun = f.a_course("Fire"), f.a_person("Jun Pellam")
    assignment = asked(fire, jun)
    tell("due", -7)

    def due(day, said):
        on(day)
        rule = assigning.queries.rule_of(assignment)
        changed = f.a_rule(rule.reach, due_trigger="", due_days=0, due_day=f.d(said), start=rule.start)
        assigning.change_assignment(assignment=assignment, name=assignment.name, message="", rule=changed, by=BY)

    assert len(run(on, "2027-03-08")) == 1
    due("2027-03-10", "2027-03-29")
    assert run(on, "2027-03-15") == []
    due("2027-03-16", "2027-03-15")
    due("2027-03-16", "2027-03-29")
    assert len(run(on, "2027-03-22")) == 1
    due("2027-03-22", "2027-03-15")
    due("2027-03-22", "2027-03-29")
    DailyRun.objects.all().delete()
    assert run(on, "2027-03-22") == []


def test_on_leave_nobody_is_told_and_back_from_it_what_still_holds(on):
    fire, lines = f.a_course("Fire", months=12), f.a_course("Lines")
    jun = f.a_person("Jun Pellam")
    on("2026-03-10")
    complete(jun, fire, "2026-03-10")
    on("2027-03-01")
    asked(fire, jun, due="2027-06-01")
    asked(lines, jun, due="2027-03-05")
    tell("expiry", -1)
    tell("due", 1)
    people.record_leave(person=jun, from_day=f.d("2027-03-08"), to_day=f.d("2027-03-13"), by=BY)
    assert run(on, "2027-03-08") == []
    assert run(on, "2027-03-09") == []
    # The first working day back. What ran out meanwhile is to be renewed no more by that rule: it speaks of who holds it.
    assert run(on, "2027-03-15") == [("Jun Pellam", "“Lines” was to be done by 5 Mar 2027")]
    assert run(on, "2027-03-16") == []


def test_whoever_they_answer_to_reads_of_all_their_people_in_one_message(on):
    fire, lines = f.a_course("Fire"), f.a_course("Lines")
    master = f.a_person("Tilda Pask", position="Master", email="tilda@ferries.example")
    crew = [f.a_person(name) for name in ("Jun Pellam", "Ada Venn")]
    f.a_lead("Master", powers=("receive notices",))
    asked(fire, *crew, due="2027-03-05")
    asked(lines, crew[0], master, due="2027-03-05")
    tell("due", 1, "person", "leads", words="The drill is on Thursday.")
    found = dict(run(on, "2027-03-08"))
    assert found["Tilda Pask"] == "“Lines” was to be done by 5 Mar 2027; word of 2 of your people"
    assert found["Jun Pellam"] == "2 things are before you, 2 late"
    text = Notice.objects.get(person=master, kind="day").text
    assert "- Jun Pellam: “Fire” was to be done by 5 Mar 2027; “Lines” was to be done by 5 Mar 2027" in text
    assert text.count("The drill is on Thursday.") == 1


def test_the_narrowest_level_that_has_a_rule_speaks(on):
    fire, lines, radio = (f.a_course(title) for title in ("Fire", "Lines", "Radio"))
    jun, ada = f.a_person("Jun Pellam"), f.a_person("Ada Venn")
    for course in (fire, lines):
        asked(course, jun)
    of_radio = asked(radio, jun, ada)
    # What another assignment asks for as well is told by the wider rules too.
    asked(radio, ada)
    tell("due", -7)
    tell("due", -4, of=lines)
    tell("due", -5, of=of_radio)
    said = "is to be done by 15 Mar 2027"
    assert run(on, "2027-03-08") == [("Jun Pellam", f"“Fire” {said}"), ("Ada Venn", f"“Radio” {said}")]
    assert run(on, "2027-03-10") == [("Jun Pellam", f"“Radio” {said}"), ("Ada Venn", f"“Radio” {said}")]
    assert run(on, "2027-03-11") == [("Jun Pellam", f"“Lines” {said}")]


def test_a_path_sends_one_notice_and_its_courses_their_own_when_late(on):
    fire, lines = f.a_course("Fire"), f.a_course("Lines")
    jun = f.a_person("Jun Pellam")
    path = a_path("New on deck", ("Safe", 10, [fire]), ("Trusted", None, [lines]))
    assign_path(path, jun, due_trigger="", due_days=0, due_day=f.d("2027-03-31"))
    tell("due", -1)
    tell("due", 1)
    assert run(on, "2027-03-10") == []
    assert run(on, "2027-03-12") == [("Jun Pellam", "“Fire” was to be done by 11 Mar 2027")]
    assert run(on, "2027-03-30") == [("Jun Pellam", "“New on deck” is to be done by 31 Mar 2027")]
    assert "“New on deck” is to be done by 31 Mar 2027: Fire, Lines." in Notice.objects.latest("pk").text
    assert run(on, "2027-04-01") == [("Jun Pellam", "“Lines” was to be done by 31 Mar 2027")]


def test_days_without_a_run_are_caught_up_and_the_hour_is_waited_for(on):
    fire, jun = f.a_course("Fire"), f.a_person("Jun Pellam")
    asked(fire, jun)
    tell("due", -7)
    run(on, "2027-03-02")
    settings = Organisation.objects.get()
    set_quiet_days(organisation=settings, weekdays=[5, 6], dates=[], tells_at=23, by=BY)
    assert run(on, "2027-03-08") == []
    set_quiet_days(organisation=settings, weekdays=[5, 6], dates=[(f.d("2027-03-09"), "Fair")], tells_at=6, by=BY)
    assert run(on, "2027-03-09") == []
    assert len(run(on, "2027-03-10")) == 1
    forget()


def test_rules_are_checked_journaled_and_end(on):
    fire, jun = f.a_course("Fire"), f.a_person("Jun Pellam")
    asked(fire, jun)
    rule = tell("due", -7)
    with pytest.raises(TellingError, match="a rule for that day already"):
        tell("due", -7)
    with pytest.raises(TellingError, match="whom it tells"):
        add_rule(of=None, said=RuleSaid("due", -3, []), by=BY)
    with pytest.raises(TellingError, match="Leave one weekday"):
        set_quiet_days(organisation=Organisation.objects.get(), weekdays=list(range(7)), dates=[], tells_at=7, by=BY)
    change_rule(rule=rule, said=RuleSaid("due", -7, ["person"], named=[jun]), by=BY)
    end_rule(rule=rule, by=BY)
    assert run(on, "2027-03-08") == []
    assert clock.today() - rule.begins_after >= timedelta(days=7)


def test_what_the_daily_run_finds_goes_into_the_same_message_at_the_organisations_hour(on):
    fire, lines = f.a_course("Fire"), f.a_course("Lines")
    jun, ada = f.a_person("Jun Pellam"), f.a_person("Ada Venn")
    asked(fire, jun)
    asked(lines, jun, ada, start=f.d("2027-03-08"), due="2027-04-01")
    tell("due", -7)
    Notice.objects.all().delete()
    on("2027-03-08")
    assigning.keep_true()
    assert not Notice.objects.exists()
    assert run(on, "2027-03-08") == [("Jun Pellam", "“Fire” is to be done by 15 Mar 2027; 1 new")]
    assert "New:\n- “Lines”, by 1 Apr 2027" in Notice.objects.get(person=jun).text
    # Nothing else is told to her: it says so in its own words.
    assert Notice.objects.get(person=ada).subject == "“Lines” is to be done by 1 Apr 2027"
    DailyRun.objects.all().delete()
    run(on, "2027-03-08")
    assert Notice.objects.count() == 2


def test_what_is_completed_is_told_to_whom_it_concerns_with_the_next_run(on):
    fire, lines = f.a_course("Fire"), f.a_course("Lines")
    jun, ada = f.a_person("Jun Pellam"), f.a_person("Ada Venn")
    asked(fire, jun)
    tell("completed", 0, "contact", named=[ada])
    tell("completed", 0, "person", of=lines)
    run(on, "2027-03-05")
    on("2027-03-06")
    complete(jun, fire, "2027-03-05")
    complete(jun, lines, "2027-03-06")
    found = dict(run(on, "2027-03-08"))
    assert found == {"Ada Venn": "Word of one of your people", "Jun Pellam": "“Lines” was completed on 6 Mar 2027"}
    assert "- Jun Pellam: “Fire” was completed on 5 Mar 2027" in Notice.objects.get(person=ada, kind="day").text
    # After the run of a day: with the next one.
    complete(ada, lines, "2027-03-08")
    assert run(on, "2027-03-09") == [("Ada Venn", "“Lines” was completed on 8 Mar 2027")]
    assert run(on, "2027-03-10") == []


def test_suggestions_come_together_once_a_week_or_not_at_all_and_what_is_mandatory_always(on):
    fire, lines = f.a_course("Fire"), f.a_course("Lines")
    jun, ada = f.a_person("Jun Pellam"), f.a_person("Ada Venn")
    for person, how in ((jun, "weekly"), (ada, "never")):
        account = f.an_account("learner", name=person.name, person=person)
        change_settings(account=account, theme="auto", single_keys=True, suggestions=how)
    asked(fire, jun, ada, due="2027-03-17")
    asked(lines, jun, ada, due="2027-03-18", is_mandatory=False)
    tell("due", -7)
    said = "is to be done by"
    assert run(on, "2027-03-10") == [(name, f"“Fire” {said} 17 Mar 2027") for name in ("Jun Pellam", "Ada Venn")]
    # Thursday's is a suggestion: Monday is the first working day of the next week.
    assert run(on, "2027-03-11") == []
    assert run(on, "2027-03-15") == [("Jun Pellam", f"“Lines” {said} 18 Mar 2027")]
    assert run(on, "2027-03-16") == []
