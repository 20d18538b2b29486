"""What people judge: who may, in which order, two who do not see each other's, and what it makes of the step."""

import io

import pytest
from django.core.exceptions import PermissionDenied
from django.core.files.uploadedfile import SimpleUploadedFile

from stepladder.accounts.models import Account
from stepladder.journal.queries import problems
from stepladder.learning.models import Attempt, Mark, StepDone
from stepladder.library.errors import Unusable
from stepladder.library.models import Module
from stepladder.notices.models import Notice
from stepladder.quizzes.actions.files import give_file
from stepladder.quizzes.actions.marking import mark_paper
from stepladder.quizzes.errors import AlreadyMarked, HandedIn, OwnPaper, QuizError
from stepladder.quizzes.models import AnswerFile
from stepladder.quizzes.to_mark import agreements, papers_to_mark, to_mark_on
from tests import factories as f
from tests.quizzes.asked import BY_HAND, a_bank, a_paper, a_released, answer, hand_in

pytestmark = pytest.mark.django_db


def a_hand_in(version=None, name="Jun Pellam", text="I tell the chief cook.", **conditions):
    version = version or a_released({"count": 1, "points": 4}, bank=a_bank(BY_HAND), pass_mark="50", **conditions)
    paper = a_paper(version, name)
    answer(paper, 1, text)
    return hand_in(paper)


def a_marker(name):
    return f.an_account("administrator", name=name)


def give(paper, points, by, note=""):
    paper.refresh_from_db()
    return mark_paper(paper=paper, points={1: points}, notes={1: note}, by=by)


def test_a_mark_makes_the_step_done_as_of_the_hand_in_and_is_told():
    paper = a_hand_in()
    marker = a_marker("Mara Voss")
    assert (list(papers_to_mark(marker)), paper.score, Attempt.objects.get().status) == ([paper], None, "handed in")
    done = give(paper, 3, marker, "Say whom.")
    assert (done.score * 4, StepDone.objects.get().at, Mark.objects.get().by_name) == (
        3,
        paper.handed_in_at,
        "Mara Voss",
    )
    assert list(papers_to_mark(marker)) == []
    assert "is marked" in Notice.objects.filter(kind="quiz marked").get().subject
    assert list(problems()) == []


def test_what_was_left_empty_waits_for_nobody():
    version = a_released({"count": 1}, bank=a_bank(BY_HAND), pass_mark="50")
    paper = hand_in(a_paper(version))
    assert (paper.score, paper.has_passed) == (0, False)


def test_who_waits_longest_stands_first():
    version = a_released({"count": 1, "points": 4}, bank=a_bank(BY_HAND), pass_mark="50")
    first = a_hand_in(version)
    second = a_hand_in(version, "Ada Brandt")
    assert list(papers_to_mark(a_marker("Mara Voss"))) == [first, second]


def test_two_mark_blind_and_a_third_settles_what_differs():
    paper = a_hand_in(marked_twice=100)
    one, two, three = (a_marker(name) for name in ("Mara Voss", "Tom Reik", "Ida Lund"))
    give(paper, 4, one, "Good")
    # The second sees nothing of the first, who waits for nothing more here.
    assert list(papers_to_mark(one)) == []
    assert to_mark_on(paper, two)[0].others == []
    give(paper, 1, two)
    assert paper.score is None
    assert (list(papers_to_mark(two)), list(papers_to_mark(three))) == ([], [paper])
    assert [given.points for given in to_mark_on(paper, three)[0].others] == [4, 1]
    with pytest.raises(AlreadyMarked):
        give(paper, 3, one)
    assert give(paper, 2, three, "Half").score * 4 == 2
    (found,) = agreements(Module.objects.all())
    assert (found.count, found.same) == (1, 0)


def test_two_who_give_the_same_need_nobody_else():
    paper = a_hand_in(marked_twice=100)
    give(paper, 3, a_marker("Mara Voss"))
    assert give(paper, 3, a_marker("Tom Reik")).score * 4 == 3


def test_nobody_marks_their_own_nor_what_is_not_theirs_nor_too_much():
    paper = a_hand_in()
    jun = Account.objects.get(person__isnull=False)
    with pytest.raises(PermissionDenied):
        give(paper, 3, jun)
    jun.grants.create(role="administrator")
    jun = Account.objects.get(pk=jun.pk)
    assert list(papers_to_mark(jun)) == []
    with pytest.raises(OwnPaper):
        give(paper, 3, jun)
    with pytest.raises(QuizError, match="between 0 and 4"):
        give(paper, 5, a_marker("Mara Voss"))


def test_the_marker_s_pages_lead_from_one_to_the_next(client):
    version = a_released({"count": 1, "points": 4}, bank=a_bank(BY_HAND), pass_mark="50")
    papers = [a_hand_in(version), a_hand_in(version, "Ada Brandt", "<b>Nobody</b>")]
    client.force_login(a_marker("Mara Voss"))
    assert "Begin with the first" in client.get("/marking/").content.decode()
    page = client.get(f"/marking/{papers[0].public_id}/").content.decode()
    assert [words in page for words in ("I tell the chief cook.", "Names whom to tell.", "whom to tell, 1")] == [
        True
    ] * 3
    sent = client.post(f"/marking/{papers[0].public_id}/", {"points-1": "4", "note-1": "Well said"})
    assert sent["Location"] == f"/marking/{papers[1].public_id}/"
    assert "&lt;b&gt;Nobody&lt;/b&gt;" in client.get(sent["Location"]).content.decode()
    wrong = client.post(sent["Location"], {"points-1": "9"})
    assert wrong.status_code == 422
    assert client.post(sent["Location"], {"points-1": "0"})["Location"] == "/marking/"
    assert "Nothing waits for you" in client.get("/marking/").content.decode()
    # Whoever handed it in reads what was said to it.
    client.force_login(Account.objects.get(person__family_name="Pellam"))
    attempt = papers[0].attempt
    assert (
        "Well said" in client.get(f"/learn/{attempt.enrolment.public_id}/{attempt.module.public_id}/").content.decode()
    )


def body_of(response):
    body = b"".join(response.streaming_content)
    for close in response._resource_closers:
        close()
    return body


def test_files_are_given_taken_out_and_seen_by_who_gave_and_who_marks(client, tmp_path):
    paper = a_paper(a_released({"count": 1}, bank=a_bank("File. A picture of your log."), pass_mark="50"))
    jun = Account.objects.get(person__isnull=False)
    client.force_login(jun)
    address = f"/learn/quiz/{paper.attempt.public_id}/files/1/"
    client.post(address, {"file": SimpleUploadedFile("log.txt", b"Cold at six.")})
    client.post(address, {"file": SimpleUploadedFile("page.html", b"<script>alert(1)</script>")})
    kept = list(AnswerFile.objects.all())
    assert paper.answers.get().given == [one.public_id for one in kept]
    # What calls itself a page is shown as what stands in it, and runs nothing.
    shown = client.get(f"/learn/answer-file/{kept[1].public_id}/")
    assert (body_of(shown), shown["Content-Type"]) == (b"<script>alert(1)</script>", "text/plain")
    assert (shown["X-Content-Type-Options"], "sandbox" in shown["Content-Security-Policy"]) == ("nosniff", True)
    client.post(address, {"drop": kept[1].public_id})
    marker = a_marker("Mara Voss")
    client.force_login(marker)
    # Before it is handed in it is nobody else's business.
    assert client.get(f"/learn/answer-file/{kept[0].public_id}/").status_code == 404
    hand_in(paper)
    assert body_of(client.get(f"/learn/answer-file/{kept[0].public_id}/")) == b"Cold at six."
    assert list(papers_to_mark(marker)) == [paper]
    paper.refresh_from_db()
    with pytest.raises(HandedIn):
        give_file(paper=paper, place=1, sent=io.BytesIO(b"late"), name="late.txt", size=4, by=f.BY)
    with pytest.raises(Unusable, match="larger than 50 MB"):
        give_file(paper=paper, place=1, sent=io.BytesIO(b""), name="big.mov", size=60 * 1024**2, by=f.BY)
