"""Paths made, released, assigned and climbed."""

import pytest
from django.urls import reverse

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.assignments import actions as assigning
from stepladder.assignments.checking import differences
from stepladder.assignments.columns import path_standing
from stepladder.assignments.errors import AssignmentError
from stepladder.assignments.models import Assignment, PathReason, Reason
from stepladder.assignments.paths import climbs
from stepladder.core.path_columns import StageCount
from stepladder.core.requirements import Status
from stepladder.courses import path_views, paths
from stepladder.courses.errors import CannotRelease, CourseError
from stepladder.courses.models import Path
from stepladder.courses.standing import PathStanding
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.journal.undoing import CannotTakeBack, obstacles, take_back
from stepladder.learning.actions import begin_step, missing_prerequisites, record_completion
from stepladder.learning.errors import NotBegunYet
from stepladder.learning.models import Enrolment
from stepladder.notices.models import Notice
from tests import factories as f
from tests.reading import page_text

BY = f.BY


@pytest.fixture
def deck(organisation, media, on):
    """A path in two stages, and Jun whom it is asked of: Fire within 30 days, then Lines and Crowd."""
    on("2026-05-14")
    courses = [f.a_course("Fire", months=12, window=30, grace=14), f.a_course("Lines"), f.a_course("Crowd", months=24)]
    path = a_path("New on deck", ("Safe", 30, courses[:1]), ("Trusted", None, courses[1:]))
    return path, courses, f.a_person("Jun Pellam", email="jun@ferries.example")


def a_path(title, *stages):
    path = paths.create_path(title=title, binder=f.a_binder(), by=BY)
    paths.edit_path(path=path, revision=None, title=title, summary="A watch of one’s own.", is_in_order=True, by=BY)
    draw(path, *stages)
    paths.release_path(path=path, by=BY)
    return path


def draw(path, *stages):
    plans = [paths.StagePlan(name, "do it", days, [c.pk for c in courses]) for name, days, courses in stages]
    paths.change_stages(path=path, stages=plans, by=BY)


def assign(path, person, **rule):
    reach = {"in": None, "named_in": [person.pk], "named_out": []}
    rule = f.a_rule(reach, **{"due_days": 90, **rule})
    return assigning.assign(course=path, name="All new on deck", message="Because.", rule=rule, by=BY)


def complete(person, course, day):
    edition = course.editions.get(state="released")
    record_completion(person=person, course=course, edition=edition, day=f.d(day), by=BY)


def climb(person, day):
    (found,) = climbs(people=[person.pk], day=f.d(day))
    return found


def test_a_path_asks_for_itself_and_for_each_course_by_its_stages_day(deck):
    path, (fire, lines, crowd), jun = deck
    assign(path, jun)
    assert PathReason.objects.get().due == f.d("2026-08-12")
    assert dict(Reason.objects.values_list("course", "due")) == {
        fire.pk: f.d("2026-06-13"),
        lines.pk: f.d("2026-08-12"),
        crowd.pk: f.d("2026-08-12"),
    }
    assert Enrolment.objects.filter(person=jun).count() == 3
    # One notice for all of it, by the first day.
    notice = Notice.objects.get(person=jun)
    assert notice.subject == "“New on deck” is before you: 3 courses, the first by 13 Jun 2026"
    assert list(differences()) == []
    assert list(problems()) == []


def test_it_is_climbed_stage_by_stage_and_holds_until_the_first_course_runs_out(deck, on):
    path, (fire, lines, crowd), jun = deck
    assign(path, jun)
    before = climb(jun, "2026-05-20")
    assert (before.requirement.status, before.done, before.owed, before.now) == (Status.TO_DO, 0, 3, 1)
    complete(jun, fire, "2026-05-20")
    complete(jun, lines, "2026-05-21")
    on("2026-05-22")
    half = climb(jun, "2026-05-22")
    assert (half.requirement.status, half.done, half.now, half.here.due) == (Status.TO_DO, 2, 2, f.d("2026-08-12"))
    complete(jun, crowd, "2026-05-22")
    assert climb(jun, "2026-05-22").requirement.status is Status.CURRENT
    assert climb(jun, "2026-05-22").requirement.valid_until == f.d("2027-05-20")
    # With the window and the grace of the course that runs out first.
    for day, status in (("2027-05-01", Status.RENEW), ("2027-06-03", Status.IN_GRACE), ("2027-06-04", Status.LAPSED)):
        assert climb(jun, day).requirement.status is status


def test_a_later_stage_opens_when_those_before_it_are_covered_unless_something_else_asks(deck, on):
    path, (fire, lines, _), jun = deck
    assign(path, jun)
    place = Enrolment.objects.get(person=jun, course=lines)
    with pytest.raises(NotBegunYet, match="“Lines” opens when “Fire” is completed and valid"):
        begin_step(enrolment=place, step=place.edition.steps.get(), by=BY)
    assert missing_prerequisites(jun, fire) == []
    direct = f.an_assignment(lines, {"in": None, "named_in": [jun.pk]})
    assert missing_prerequisites(jun, lines) == []
    assigning.end_assignment(assignment=direct, end=f.d("2026-05-14"), by=BY)
    on("2026-05-15")
    assert missing_prerequisites(jun, lines) == ["Fire"]
    complete(jun, fire, "2026-05-15")
    begin_step(enrolment=place, step=place.edition.steps.get(), by=BY)


def test_a_waived_course_is_left_out_of_the_path(deck):
    path, (fire, lines, crowd), jun = deck
    assign(path, jun)
    complete(jun, fire, "2026-05-14")
    complete(jun, lines, "2026-05-14")
    waiver = {"from_day": f.d("2026-05-14"), "to_day": f.d("2026-12-31"), "reason": "Ashore", "by": BY}
    assigning.grant_waiver(person=jun, course=crowd, **waiver)
    assert climb(jun, "2026-05-14").requirement.status is Status.CURRENT
    assert climb(jun, "2027-01-02").requirement.status is Status.OVERDUE


def test_releasing_it_anew_is_foretold_and_past_days_keep_what_was_asked(deck, on):
    path, (fire, lines, crowd), jun = deck
    assign(path, jun)
    on("2026-06-01")
    draw(path, ("Safe", 30, [fire]), ("Trusted", None, [lines]))
    assert [c.pk for c in (fire, lines, crowd)] == list(paths.plan_of(paths.edition_of(path)).courses)
    said = [(line.count, line.text) for line in events.propose(events.PathProposed(path.pk, (fire.pk, lines.pk)))]
    assert said == [(1, "person climbs it"), (1, "person no longer needs “Crowd” for it")]
    paths.release_path(path=path, by=BY)
    assigning.refresh_reasons(people=[jun.pk])
    assert climb(jun, "2026-06-01").owed == 2
    (then,) = climbs(people=[jun.pk], day=f.d("2026-05-20"), known_on=f.d("2026-05-20"))
    assert then.owed == 3
    assert Enrolment.objects.get(person=jun, course=crowd).closed_on == f.d("2026-06-01")
    assert list(differences()) == []


def test_what_a_path_lacks_is_said_all_at_once_and_an_unreleased_one_is_not_assigned(deck):
    _, (fire, *_), jun = deck
    path = paths.create_path(title="Half made", binder=f.a_binder(), by=BY)
    with pytest.raises(CannotRelease, match="3 things are missing") as refused:
        paths.release_path(path=path, by=BY)
    assert "Stage 1 has no course yet" in str(refused.value)
    with pytest.raises(AssignmentError, match="“Half made” is not released"):
        assign(path, jun)
    with pytest.raises(CourseError, match="“Fire” is in this path already"):
        draw(path, ("Safe", 60, [fire]), ("Again", 30, [fire]))
    draw(path, ("Safe", 60, [fire]), ("Later", 30, [f.a_draft("Not yet")]))
    missing = " ".join(finding.text for finding in paths.check_path(path) if not finding.ok)
    assert "“Not yet” is not released" in missing
    assert "Stage 2 would be due before the one above it: give it 60 days or more." in missing


def test_assigning_a_path_is_taken_back_whole(deck):
    path, _, jun = deck
    assign(path, jun)
    take_back(Entry.objects.get(verb="assign"), by=BY)
    assert not Reason.objects.exists()
    assert not PathReason.objects.exists()
    assert not Enrolment.objects.filter(closed_on=None).exists()
    assert list(problems()) == []


def test_a_release_is_taken_back_to_the_edition_before_and_the_first_only_where_nobody_climbs(deck, on):
    path, (fire, *_), jun = deck
    first = Entry.objects.filter(verb="release_path").latest("number")
    assign(path, jun)
    on("2026-06-01")
    draw(path, ("Safe", 30, [fire]))
    paths.release_path(path=path, by=BY)
    assigning.refresh_reasons(people=[jun.pk])
    take_back(Entry.objects.filter(verb="release_path").latest("number"), by=BY)
    assigning.refresh_reasons(people=[jun.pk])
    assert climb(jun, "2026-06-01").owed == 3
    assert paths.edition_of(path).number == 1
    assert paths.release_path(path=path, by=BY).number == 3
    take_back(Entry.objects.filter(verb="release_path").latest("number"), by=BY)
    with pytest.raises(CannotTakeBack, match="1 person climbs it by now"):
        take_back(first, by=BY)
    other = paths.create_path(title="Ashore", binder=f.a_binder(), by=BY)
    paths.edit_path(path=other, revision=None, title="Ashore", summary="To a shift.", is_in_order=True, by=BY)
    draw(other, ("Safe", 30, [fire]))
    paths.release_path(path=other, by=BY)
    assign(other, jun)
    entry = Entry.objects.filter(verb="release_path").latest("number")
    assert obstacles(entry) == ["1 person climbs it by now: end its assignments first."]
    take_back(Entry.objects.filter(verb="assign").latest("number"), by=BY)
    take_back(entry, by=BY)
    other.refresh_from_db()
    assert (other.state, paths.edition_of(other)) == ("draft", None)
    assert list(problems()) == []


def text(answer):
    return page_text(answer)


def keys(path):
    """The keys of its stages, as they are stored now."""
    return [stage.key for stage in paths.stages_of(Path.objects.get(pk=path.pk))]


def words(path, number, **said):
    """What the sheet sends when words of a stage are kept."""
    key = keys(path)[number]
    return {"act": "keep", "stage": key, **{f"s{key}-{name}": value for name, value in said.items()}}


def test_a_path_is_made_on_its_sheet_assigned_and_shown_where_it_is_climbed(deck, client):
    _, (fire, lines, crowd), jun = deck
    client.force_login(f.an_account("administrator"))
    client.post(reverse("courses:new_path"), {"title": "Ashore", "binder": f.a_binder().pk})
    path = Path.objects.get(title="Ashore")
    at = [path.public_id]

    def change(**sent):
        return client.post(reverse("courses:stages", args=at), sent, headers={"HX-Request": "true"})

    def key(number):
        return keys(path)[number]

    said = {"title": "Ashore", "summary": "To a shift.", "is_in_order": "on", "revision": str(path.revision)}
    assert "saved" in text(client.post(reverse("courses:edit_path", args=at), said))
    change(**words(path, 0, title="First", outcome="hold a line", window_days="20"))
    change(act="put", into=key(0), course=fire.public_id)
    change(act="add")
    change(act="put", into=key(1), course=[lines.public_id, crowd.public_id])
    change(act="take", stage=key(1), course=crowd.public_id)
    change(**words(path, 1, title="Second", outcome="lead"))
    assert "already" in change(act="put", into=key(1), course=fire.public_id).headers["HX-Trigger-After-Swap"]
    second = key(1)
    change(act="up", stage=second)
    assert [stage["title"] for stage in Path.objects.get(pk=path.pk).stages] == ["Second", "First"]
    # Pressed twice, or in a tab that shows the stages as they were: it is the same stage, and it cannot go higher.
    change(act="up", stage=second)
    assert key(0) == second
    change(act="add")
    gone = key(2)
    change(act="remove", stage=gone)
    assert "not there any more" in change(act="remove", stage=gone).headers["HX-Trigger-After-Swap"]
    assert [stage["title"] for stage in Path.objects.get(pk=path.pk).stages] == ["Second", "First"]
    client.post(reverse("courses:release_path", args=at))
    assert "Edition 1 is released" in text(client.get(reverse("courses:path", args=at)))
    sent = {"course": path.public_id, "name": "All ashore", "is_mandatory": "1", "start": "2026-05-14", "due": "after"}
    sent |= {"due_days": "60", "due_after": "opening", "notice_days": "14", "named_in": jun.public_id}
    effect = text(client.post(reverse("assignments:effect"), sent))
    assert "to do" in effect
    assert client.post(reverse("assignments:new"), sent, follow=True).status_code == 200
    page = text(client.get(reverse("assignments:list")))
    assert "Ashore" in page
    assert "0 of 2" in text(
        client.get(reverse("assignments:assignment", args=[PathReason.objects.get().assignment.public_id]))
    )
    why = text(client.get(reverse("records:why", args=[jun.public_id, fire.public_id])))
    assert "In stage 2 of the path “Ashore”, “First”, which is due 20 days after the start." in why
    client.force_login(f.an_account("learner", person=jun))
    shown = text(client.get(reverse("desk:up_next")))
    assert "0 of 2 courses · stage 1 of 2" in shown
    assert "After it you can hold a line" in shown
    assert "opens after stage 1" in shown


def test_words_and_courses_that_are_sent_in_the_same_moment_are_both_kept(organisation, media, client, monkeypatch):
    client.force_login(f.an_account("administrator"))
    path, fire = paths.create_path(title="New on deck", binder=f.a_binder(), by=BY), f.a_course("Fire")
    address = reverse("courses:stages", args=[path.public_id])
    # The second was begun before the first was done: it has the path as it was then.
    as_it_was = Path.objects.get(pk=path.pk)
    client.post(address, words(path, 0, title="Safe", outcome="help", window_days="30"))
    monkeypatch.setattr(path_views, "_path", lambda request, public_id: as_it_was)
    client.post(address, {"act": "put", "into": keys(path)[0], "course": fire.public_id})
    path.refresh_from_db()
    assert paths.stages_of(path) == [paths.StagePlan("Safe", "help", 30, [fire.pk])]


def test_the_sheet_of_a_path_draws_who_stands_where_and_which_day_that_is(deck, client, on):
    path, (fire, _, _), jun = deck
    assign(path, jun)
    client.force_login(f.an_account("administrator"))
    at = reverse("courses:path", args=[path.public_id])

    def stands():
        sheet = client.get(at).context["sheet"]
        return sheet.standing, [stage.count for stage in sheet.stages]

    assert stands()[1] == [StageCount(1, 0), StageCount(0, 0)]
    shown = text(client.get(at, {"starts": "2026-06-01"}))
    assert "1 Jun 2026" in shown
    assert "1 Jul 2026" in shown
    wrong = client.get(at, {"starts": "soonish"})
    assert (wrong.status_code, "soonish" in text(wrong)) == (422, True)
    # Late with the first stage; then done with it, and in the second.
    on("2026-06-20")
    assert stands()[1] == [StageCount(1, 1), StageCount(0, 0)]
    complete(jun, fire, "2026-06-20")
    assert stands() == (PathStanding(1, 0, [StageCount(0, 0), StageCount(1, 0)]), [StageCount(0, 0), StageCount(1, 0)])
    # A stage that is drawn anew is nobody's yet.
    draw(path, ("Safe", 30, [fire]), ("Trusted", None, []))
    assert stands()[1] == [StageCount(0, 0), None]
    # Who may not read others' records is told nothing of them.
    client.force_login(f.an_account("author"))
    assert stands() == (None, [None, None])


def test_whose_a_path_is_goes_by_its_binder(organisation, media):
    owner, other = f.an_account("author"), f.an_account("author")
    path = paths.create_path(title="Yard", binder=f.a_binder("Yard", owner, is_shared=False), by=BY)
    assert policy.may(owner, "change courses", path)
    assert set(policy.visible(other, "see courses", Path.objects.all())) == set()
    assert policy.may(other, "change courses", path).reason.startswith("Only editors of this path’s binder")


def test_nobody_puts_a_course_into_a_path_that_they_do_not_see(organisation, media, client):
    owner = f.an_account("author")
    hidden = f.a_course("Ticket data")
    hidden.binder.owner, hidden.binder.is_shared = f.an_account("author"), False
    hidden.binder.save()
    path = paths.create_path(title="Yard", binder=f.a_binder("Yard", owner), by=BY)
    client.force_login(owner)
    at = reverse("courses:stages", args=[path.public_id])
    answer = client.post(
        at, {"act": "put", "into": keys(path)[0], "course": hidden.public_id}, headers={"HX-Request": "true"}
    )
    assert "Choose a course first" in answer.headers["HX-Trigger-After-Swap"]
    path.refresh_from_db()
    assert path.stages[0]["courses"] == []


@pytest.fixture
def chosen(organisation, media, on):
    """A path whose second stage leaves one of three to choose, and Jun whom it is asked of."""
    on("2026-05-14")
    fire, *others = [f.a_course(title, months=12) for title in ("Fire", "Knots", "Boats", "Splices")]
    path = paths.create_path(title="New on deck", binder=f.a_binder(), by=BY)
    paths.edit_path(path=path, revision=None, title=path.title, summary="A watch.", is_in_order=True, by=BY)
    stages = [
        paths.StagePlan("Safe", "do it", 30, [fire.pk]),
        paths.StagePlan("Trusted", "do it", 60, [], [course.pk for course in others], 1),
    ]
    paths.change_stages(path=path, stages=stages, by=BY)
    paths.release_path(path=path, by=BY)
    jun = f.a_person("Jun Pellam", email="jun@ferries.example")
    f.an_account("learner", name=jun.name, person=jun)
    assign(path, jun)
    return path, fire, others, jun


def test_of_electives_one_does_as_many_as_are_asked_and_chooses_which(chosen, client, on):
    path, fire, (knots, boats, _), jun = chosen
    assert set(Reason.objects.values_list("course", flat=True)) == {fire.pk}
    assert "1 of 3 to choose (Knots, Boats, Splices)" in Notice.objects.get().text
    found = climb(jun, "2026-05-14")
    assert (found.done, found.owed, found.now, found.stages[1].due) == (0, 2, 1, f.d("2026-07-13"))
    client.force_login(jun.account)
    page = page_text(client.get(reverse("desk:up_next")))
    assert "Choose 1 of:" in page
    assert all(reverse("catalogue:thing", args=[one.public_id]) not in page for one in (knots, boats))
    # However it is offered to others: which of them, is their own choice. Until then its stage has not opened.
    client.post(reverse("catalogue:take_up", args=[knots.public_id]))
    assert missing_prerequisites(jun, knots) == ["Fire"]
    assert "Knots" not in page_text(client.get(reverse("desk:up_next"))).split("New on deck")[0]
    on("2026-06-01")
    complete(jun, fire, "2026-06-01")
    assert missing_prerequisites(jun, knots) == []
    assert (climb(jun, "2026-06-01").now, standing_now(path)) == (2, [StageCount(0, 0), StageCount(1, 0)])
    complete(jun, boats, "2026-06-01")
    found = climb(jun, "2026-06-01")
    assert (found.done, found.owed, found.requirement.status) == (2, 2, Status.CURRENT)
    assert standing_now(path) == [StageCount(0, 0), StageCount(0, 0)]
    # When what was chosen runs out the path does, by every way of counting.
    on("2027-08-01")
    assert climb(jun, "2027-08-01").requirement.status is Status.LAPSED
    assert standing_now(path)[1] == StageCount(0, 0)
    assert standing_now(path)[0] == StageCount(1, 1)
    assert list(differences()) == []


def test_the_sheet_foretells_what_another_day_would_do_to_those_on_the_path(deck, client, on):
    path, courses, jun = deck
    assign(path, jun)
    on("2026-05-27")
    ada = f.a_person("Ada Venn")
    assigning.assign(
        course=path,
        name="Ada too",
        message="",
        rule=f.a_rule({"in": None, "named_in": [ada.pk], "named_out": []}, due_days=90),
        by=BY,
    )
    # Jun opened 13 days ago, Ada today, a Wednesday.
    draw(path, ("Safe", 2, courses[:1]), ("Trusted", None, courses[1:]))
    client.force_login(f.an_account("administrator"))
    page = page_text(client.get(reverse("courses:path", args=[path.public_id])))
    assert (
        '1</b> person would be late at once, if day 30 became day 2<span class="muted small">: Jun Pellam</span>'
        in page
    )
    assert "1</b> person more by Friday, if day 30 became day 2" in page
    draw(path, ("Safe", 20, courses[:1]), ("Trusted", None, courses[1:]))
    page = page_text(client.get(reverse("courses:path", args=[path.public_id])))
    assert "2</b> people have the time, if day 30 became day 20" in page


def test_a_copy_keeps_what_it_was_copied_from_and_is_asked_of_the_same_people_once_released(deck, client):
    path, courses, jun = deck
    assign(path, jun)
    client.force_login(f.an_account("administrator"))
    like = reverse("courses:new_path") + f"?like={path.public_id}"
    sent = {"title": "New on shore", "binder": path.binder_id, "with_assignments": "on", "once": "a"}
    client.post(like, sent)
    copy = Path.objects.get(title="New on shore")
    # Drawn on in another tab meanwhile, and released anew: the copy is what was there at its moment.
    draw(path, ("Safe", 30, courses[:1]))
    paths.release_path(path=path, by=BY)
    copy.refresh_from_db()
    assert [len(stage["courses"]) for stage in copy.stages] == [1, 2]
    assert Assignment.objects.filter(path=copy).count() == 0
    paths.release_path(path=copy, by=BY)
    asked = Assignment.objects.get(path=copy)
    assert asked.name == "All new on deck: New on shore"
    assert PathReason.objects.filter(path=copy, person=jun).exists()
    # Once: a second release asks nobody again.
    paths.release_path(path=copy, by=BY)
    assert Assignment.objects.filter(path=copy).count() == 1


def test_a_path_starts_from_a_pattern(organisation, client):
    client.force_login(f.an_account("administrator"))
    sent = {"title": "First months", "binder": f.a_binder().pk, "pattern": "days", "once": "a"}
    client.post(reverse("courses:new_path"), sent)
    assert [stage["window_days"] for stage in Path.objects.get().stages] == [30, 60, 90]


def standing_now(path):
    return path_standing(paths.edition_of(path), day=clock.today(), seen=None).stages


def test_electives_leave_a_choice_or_are_not_released(chosen, client):
    path, fire, others, _ = chosen
    client.force_login(f.an_account("administrator"))
    change = reverse("courses:stages", args=[path.public_id])
    client.post(change, words(path, 1, title="Trusted", outcome="do it", choose="3"))
    path.refresh_from_db()
    assert path.stages[1]["choose"] == 3
    with pytest.raises(CannotRelease, match="asks for all 3 electives: make them obligatory"):
        paths.release_path(path=path, by=BY)
    client.post(change, {"act": "obligatory", "stage": keys(path)[1], "course": others[0].public_id})
    client.post(change, {"act": "elective", "stage": keys(path)[0], "course": fire.public_id})
    path.refresh_from_db()
    assert [(stage["courses"], stage.get("electives")) for stage in path.stages] == [
        ([], [fire.pk]),
        ([others[0].pk], [others[1].pk, others[2].pk]),
    ]
    sheet = page_text(client.get(reverse("courses:path", args=[path.public_id])))
    assert "1 course and 4 of 3 to choose" in sheet
    assert "Stage 1 asks for its elective" in sheet
