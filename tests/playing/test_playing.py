"""The players and the content hosts, asked as a browser asks them."""

import json
from fractions import Fraction
from urllib.parse import urlsplit

import pytest
from django.core import signing
from django.test import Client
from django.urls import reverse

from stepladder import clock
from stepladder.core.sequence import Part
from stepladder.courses import actions as courses
from stepladder.learning.models import Attempt, Completion, Enrolment, StepDone
from stepladder.library import storage
from stepladder.library.models import ModuleVersion, StoredFile
from stepladder.playing import actions, launches
from tests import factories as f
from tests.playing.packages import a_package, place, step_url


@pytest.fixture
def launched(jun, client, tmp_path):
    """A package opened by its learner: (content client, address, path, enrolment, module)."""
    module = a_package(tmp_path)
    enrolment = place(jun, [module])
    answer = client.get(step_url(enrolment, module))
    address = urlsplit(answer.context["launch"])
    content = Client(HTTP_HOST=address.netloc)
    assert content.get(address.path).status_code == 200
    return content, address, address.path, enrolment, module


def commit(content, path, seq, *, fin=False, **values):
    body = {"seq": seq, "fin": fin, "set": {f"cmi.core.{k.replace('__', '.')}": v for k, v in values.items()}}
    return content.post(path + "commit", json.dumps(body), content_type="text/plain")


def test_each_attempt_has_a_content_host_of_its_own_and_the_page_may_frame_only_that(launched, client):
    _, address, _, enrolment, module = launched
    assert address.hostname.startswith("c-")
    assert address.hostname.endswith(".localhost")
    policy = client.get(step_url(enrolment, module)).headers["Content-Security-Policy"]
    assert f"frame-src 'self' http://{address.netloc}" in policy
    assert "frame-ancestors 'none'" in policy
    assert address.hostname.split(".")[0] not in client.get(reverse("desk:up_next")).headers["Content-Security-Policy"]


def test_the_wrapper_and_the_packages_files_come_from_the_content_host_only(launched, client):
    content, _, path, _, _ = launched
    page = content.get(path)
    assert "../files/index.html" in page.content.decode()
    assert page.headers["Content-Security-Policy"].startswith("frame-ancestors http://localhost:8000")
    files = path.rsplit("/", 2)[0] + "/files/"
    answer = content.get(files + "page%20two.html")
    assert b"".join(answer.streaming_content) == b"<p>two</p>"
    for close in answer._resource_closers:
        close()
    assert "frame-ancestors 'self' http://localhost:8000" in answer.headers["Content-Security-Policy"]
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    assert not answer.cookies
    for wrong in ("../secret-key", "%2e%2e/secret-key", "gone.html", "a\\b", "index.html%00"):
        assert content.get(files + wrong).status_code == 404
    assert content.get("/desk/").status_code == 404
    assert content.get("/static/web/css/app.css").status_code == 404
    assert client.get(path).status_code == 404


def test_an_expired_altered_or_borrowed_launch_address_is_refused(launched, on):
    content, address, path, _, _ = launched
    token = path.split("/")[2]
    assert content.get(path.replace(token, token[:-2] + "xx")).status_code == 403
    borrowed = Client(HTTP_HOST="c-0123456789abcdef.localhost:8000").get(path)
    assert borrowed.status_code == 403
    assert "belongs to another host" in borrowed.content.decode()
    old = signing.loads(token, salt=launches.SALT)
    assert old["h"] in address.hostname


def test_an_expired_launch_says_to_open_the_step_again(launched, monkeypatch):
    content, _, path, _, _ = launched
    monkeypatch.setattr(launches, "VALID_SECONDS", -1)
    answer = commit(content, path, 1, lesson_location="p2")
    assert answer.status_code == 403
    assert answer.content.decode() == "This launch is over. Open the step again."


def test_status_score_time_and_suspend_data_are_kept_and_taken_up_again(launched, client):
    content, _, path, enrolment, module = launched
    commit(content, path, 1, lesson_location="p3", lesson_status="incomplete", exit="suspend")
    commit(content, path, 2, session_time="00:10:00")
    content.post(
        path + "commit",
        json.dumps({"seq": 3, "set": {"cmi.suspend_data": "x" * 64000}}),
        content_type="application/json",
    )
    again = urlsplit(client.get(step_url(enrolment, module)).context["launch"])
    start = json.loads(
        content.get(again.path).content.decode().split('type="application/json">')[1].split("</script>")[0]
    )["start"]
    assert (start["cmi.core.entry"], start["cmi.core.lesson_location"]) == ("resume", "p3")
    assert len(start["cmi.suspend_data"]) == 64000
    assert start["cmi.core.total_time"] == "0000:10:00.00"
    assert start["cmi.core.student_name"] == "Pellam, Jun"
    assert Attempt.objects.get().seconds == 600


def test_passing_finishes_the_step_and_the_course_at_that_moment(launched, client):
    content, _, path, enrolment, module = launched
    commit(content, path, 1, lesson_status="incomplete", score__raw="40")
    assert not StepDone.objects.exists()
    commit(content, path, 2, score__raw="90", lesson_status="incomplete")
    done = StepDone.objects.get()
    completion = Completion.objects.get()
    assert (done.score, completion.score, completion.day) == (Fraction(9, 10), Fraction(9, 10), f.d("2026-05-14"))
    commit(content, path, 3, fin=True, score__raw="90", lesson_status="passed")
    assert Completion.objects.count() == 1
    answer = client.get(reverse("playing:outcome", args=[enrolment.public_id, module.public_id]))
    assert completion.number in answer.content.decode()
    # Looking back is review: nothing is judged again.
    again = urlsplit(client.get(step_url(enrolment, module)).context["launch"]).path
    content.get(again)
    commit(content, again, 1, lesson_status="failed", score__raw="10")
    assert Attempt.objects.get().score == Fraction(9, 10)


def test_a_commit_that_cannot_be_read_is_said(launched):
    content, _, path, _, _ = launched
    for body in ("not json", "[]", '{"set": 3}', '{"seq": "x", "set": {}}'):
        assert content.post(path + "commit", body, content_type="application/json").status_code == 400, body


def test_a_commit_larger_than_a_megabyte_is_refused(launched, settings):
    content, _, path, _, _ = launched
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = None
    assert content.post(path + "commit", "x" * 1_100_000, content_type="application/json").status_code == 413


def test_a_closed_step_and_a_course_that_asks_for_another_say_what_comes_first(jun, client):
    one, two = f.a_module("One"), f.a_module("Two")
    enrolment = place(jun, [one, two])
    page = client.get(step_url(enrolment, two), follow=True).content.decode()
    assert "“Two” opens when “One” is done." in page
    first = f.a_course("Basics")
    courses.set_relations(course=enrolment.course, prerequisites=[first], satisfied_by=[], by=f.BY)
    page = client.get(step_url(enrolment, one), follow=True).content.decode()
    assert "opens when “Basics” is completed and valid" in page
    assert not Attempt.objects.exists()


def report(client, attempt, **what):
    return client.post(
        reverse("playing:report", args=[attempt.public_id]), json.dumps(what), content_type="application/json"
    )


def opened(person, client, **module):
    """A step with a file that the person has opened: the place, its module and the attempt."""
    made = f.a_module("The step", **module)
    version = made.versions.get()
    version.original = StoredFile.objects.create(sha256="0" * 64, size=1, content_type="video/mp4")
    version.save()
    enrolment = place(person, [made])
    client.get(step_url(enrolment, made))
    return enrolment, made, Attempt.objects.get()


def test_a_film_counts_what_was_really_watched_and_resumes(jun, client, on):
    enrolment, film, attempt = opened(jun, client, kind="video")
    on("2026-05-14", hour=13)
    said = report(client, attempt, played=[[0, 30], [20, 50], [-5, 3]], at=50, seconds=50).json()
    assert (said["share"], said["done"], said["missing"], said["kept"]) == (50, False, [[50, 100]], "13:00")
    assert report(client, attempt, played=[[95, 400]], at=100, seconds=5).json()["share"] == 55
    assert client.get(step_url(enrolment, film)).context["at"] == 100
    assert not Completion.objects.exists()
    said = report(client, attempt, played=[[50, 85]], at=85, seconds=5).json()
    assert (said["share"], said["done"]) == (90, True)
    assert said["words"] == "Thick rungs are what you have really watched: you jumped over 1:25–1:35."
    assert Completion.objects.get().person == jun
    assert report(client, attempt, nonsense=1).status_code == 400
    # Time after time, for how often which part was played.
    attempt.refresh_from_db()
    assert actions.plays_of(attempt) == [(0, 30), (20, 50), (0, 3), (95, 100), (50, 85)]


def test_what_is_reported_fits_the_time_that_passed(jun, client, on):
    *_, attempt = opened(jun, client, kind="video", data={"seconds": 3600.0})
    early = report(client, attempt, played=[[0, 3600]], at=3600, seconds=3600)
    assert (early.status_code, "not counted yet" in early.json()["says"]) == (409, True)
    attempt.refresh_from_db()
    assert ("played" in attempt.data, attempt.seconds) == (False, 0)
    # What is told again later, when that much time has passed, counts.
    on("2026-05-14", hour=13)
    assert report(client, attempt, played=[[0, 3600]], at=3600, seconds=3600).json()["done"]
    for _ in range(3):
        report(client, attempt, played=[[0, 3600]], at=3600, seconds=0)
    assert report(client, attempt, played=[[0, 3600]], at=3600, seconds=0).status_code == 409


def test_who_comes_back_another_day_has_watched_nothing_meanwhile(jun, client, on):
    enrolment, film, attempt = opened(jun, client, kind="video", data={"seconds": 3600.0})
    on("2026-05-15")
    client.get(step_url(enrolment, film))
    assert report(client, attempt, played=[[0, 3600]], at=3600, seconds=3600).status_code == 409
    # What a page told on its way out, and what came after the next one opened, still counts.
    assert report(client, attempt, played=[[0, 600]], at=600, seconds=600).json()["share"] == 16
    on("2026-05-15", hour=14)
    assert report(client, attempt, played=[[600, 3600]], at=3600, seconds=3000).json()["done"]


def test_a_document_counts_pages_shown_for_two_seconds(jun, client, on):
    *_, attempt = opened(jun, client, kind="document")
    on("2026-05-14", hour=13)
    said = report(client, attempt, pages=[[1, 2.0], [2, 1.5], [2, 1.5], [9, 30]], at=2).json()
    assert (said["share"], said["done"], said["pages"], said["strip"]) == (33, False, [1], "100")
    said = report(client, attempt, pages=[[2, 4], [3, 2]], at=3).json()
    assert (said["share"], said["done"], said["pages"], said["strip"]) == (100, True, [1, 2, 3], "111")


def test_a_report_that_is_sent_twice_counts_once(jun, client, on):
    """Its answer was lost on the way, so that the browser kept it and told it again."""
    *_, attempt = opened(jun, client, kind="video")
    on("2026-05-14", hour=13)
    for _ in range(2):
        said = report(client, attempt, played=[[0, 30]], at=30, seconds=30, name="k3x9").json()
        assert said["share"] == 30
    report(client, attempt, played=[[0, 30]], at=30, seconds=30, name="another")
    attempt.refresh_from_db()
    assert (actions.plays_of(attempt), attempt.seconds) == ([(0, 30), (0, 30)], 60)


def test_what_is_told_too_soon_is_told_again_and_what_is_over_is_not(jun, client):
    *_, attempt = opened(jun, client, kind="video", data={"seconds": 3600.0})
    soon = report(client, attempt, played=[[0, 3600]], at=3600, seconds=3600)
    assert (soon.status_code, soon.json()["again"]) == (409, True)
    Enrolment.objects.update(closed_on=clock.today(), closed_because="left")
    over = report(client, attempt, played=[[0, 5]], at=5, seconds=5)
    assert (over.status_code, "again" in over.json()) == (409, False)


def test_nobody_reports_for_somebody_else(jun, client):
    enrolment = place(jun, [f.a_module("Booklet")])
    client.get(step_url(enrolment, enrolment.edition.steps.get().module))
    attempt = Attempt.objects.get()
    client.force_login(f.an_account("administrator"))
    assert report(client, attempt, pages=[[1, 9], [2, 9], [3, 9]], at=3).status_code == 404


@pytest.fixture
def bytes_url(jun, media):
    version: ModuleVersion = f.a_module("Film", kind="video").versions.get()
    version.original = StoredFile.objects.create(sha256="ab" + "0" * 62, size=1000, content_type="video/mp4")
    version.save()
    path = storage.file_of(version.original)
    path.parent.mkdir(parents=True)
    path.write_bytes(bytes(range(250)) * 4)
    from stepladder.playing.media import media_url

    return media_url(version.pk, jun.account_id)


@pytest.mark.parametrize(
    ("asked", "status", "content_range", "first", "length"),
    [
        ("", 200, None, 0, 1000),
        ("bytes=0-99", 206, "bytes 0-99/1000", 0, 100),
        ("bytes=990-", 206, "bytes 990-999/1000", 240, 10),
        ("bytes=-5", 206, "bytes 995-999/1000", 245, 5),
        ("bytes=1000-", 416, "bytes */1000", None, 0),
        ("bytes=0-1,5-6", 200, None, 0, 1000),
    ],
)
def test_film_is_answered_in_ranges(bytes_url, client, asked, status, content_range, first, length):
    answer = client.get(bytes_url, headers={"Range": asked} if asked else {})
    assert (answer.status_code, answer.headers.get("Content-Range")) == (status, content_range)
    if first is not None:
        body = b"".join(answer.streaming_content)
        assert (body[0], len(body)) == (first, length)
        assert answer.headers["Content-Security-Policy"] == "sandbox"


def test_a_media_address_is_good_for_its_account_only(bytes_url, client):
    client.force_login(f.an_account("learner"))
    answer = client.get(bytes_url)
    assert answer.status_code == 403
    assert "made for somebody else" in answer.content.decode()
    assert client.get(bytes_url[:-3] + "xx/").status_code == 403


def test_attempts_under_way_go_on_with_a_small_release_and_stay_with_a_large_one(jun, client):
    one, two = f.a_module("One"), f.a_module("Two")
    enrolment = place(jun, [one, two])
    client.get(step_url(enrolment, one))
    f.a_version(one, 2)
    for size, number, version in (("large", 1, 1), ("small", 3, 2)):
        draft = courses.new_edition(course=enrolment.course, by=f.BY)
        step = draft.steps.get(module=one)
        courses.edit_step(course=enrolment.course, step=step, is_obligatory=True, weight=1, take_newest=True, by=f.BY)
        courses.release_course(course=enrolment.course, size=size, retake_by=None, by=f.BY)
        enrolment.refresh_from_db()
        assert (enrolment.edition.number, Attempt.objects.get().version.number) == (number, version)


def test_no_release_lowers_progress(jun, client):
    one, two = f.a_module("One"), f.a_module("Two")
    enrolment = place(jun, [one, two])
    client.get(step_url(enrolment, one))
    report(client, Attempt.objects.get(), pages=[[1, 3], [2, 3], [3, 3]], at=3)
    course = enrolment.course
    courses.new_edition(course=course, by=f.BY)
    courses.add_steps(course=course, part=Part.MAIN, modules=[f.a_module("Three"), f.a_module("Four")], by=f.BY)
    for step in courses.draft_of(course).steps.filter(module__title__in=["Three", "Four"]):
        courses.edit_step(course=course, step=step, is_obligatory=False, weight=1, take_newest=False, by=f.BY)
    courses.edit_edition(course=course, revision=None, optional_owed=2, by=f.BY)
    courses.release_course(course=course, size="small", retake_by=None, by=f.BY)
    page = client.get(reverse("playing:course", args=[enrolment.public_id]))
    assert page.context["view"].progress.percent == 50
    assert page.context["view"].progress.owed == 4
