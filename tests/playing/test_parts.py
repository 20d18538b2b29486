"""Packages of several parts, those of the newer standard, and parts that say nothing."""

from fractions import Fraction

import pytest
from django.urls import reverse

from stepladder.learning.models import Attempt, Completion, StepDone
from stepladder.playing.models import ScoState
from tests import factories as f
from tests.playing.packages import a_package, commit, launch, launch_values, place, step_url
from tests.reading import page_text

TWO_PARTS = """<?xml version="1.0"?>
<manifest identifier="m" xmlns="http://www.imsproject.org/xsd/imscp_rootv1p1p2" xmlns:adlcp="http://www.adlnet.org/xsd/adlcp_rootv1p2">
  <organizations default="o"><organization identifier="o"><title>Two parts</title>
    <item identifier="i0"><title>A chapter</title>
      <item identifier="i1" identifierref="r1"><title>The alarm</title><adlcp:masteryscore>80</adlcp:masteryscore></item>
      <item identifier="i2" identifierref="r2" parameters="?deck=2"><title>The muster</title>
        <adlcp:datafromlms>deck=car</adlcp:datafromlms></item>
    </item>
  </organization></organizations>
  <resources>
    <resource identifier="r1" type="webcontent" adlcp:scormtype="sco" href="index.html"><file href="index.html"/></resource>
    <resource identifier="r2" type="webcontent" adlcp:scormtype="sco" href="page two.html"><file href="page two.html"/></resource>
  </resources>
</manifest>"""

NEWER = """<?xml version="1.0"?>
<manifest identifier="m" xmlns="http://www.imsglobal.org/xsd/imscp_v1p1" xmlns:adlcp="http://www.adlnet.org/xsd/adlcp_v1p3" xmlns:imsss="http://www.imsglobal.org/xsd/imsss">
  <metadata><schema>ADL SCORM</schema><schemaversion>2004 4th Edition</schemaversion></metadata>
  <organizations default="o"><organization identifier="o"><title>Newer</title>
    <item identifier="i1" identifierref="r1"><title>One</title>
      <adlcp:completionThreshold completedByMeasure="true" minProgressMeasure="0.75"/>
      <imsss:sequencing><imsss:objectives>
        <imsss:primaryObjective satisfiedByMeasure="true" objectiveID="p">
          <imsss:minNormalizedMeasure>0.6</imsss:minNormalizedMeasure></imsss:primaryObjective>
      </imsss:objectives></imsss:sequencing>
    </item>
  </organization></organizations>
  <resources>
    <resource identifier="r1" type="webcontent" adlcp:scormType="sco" href="index.html"><file href="index.html"/></resource>
  </resources>
</manifest>"""

SAYS_NOTHING = f.MANIFEST.replace('adlcp:scormtype="sco"', 'adlcp:scormtype="asset"').format(
    title="Leaflet", href="index.html"
)


def test_each_part_has_its_own_place_data_and_status_and_all_must_be_done(jun, client, tmp_path):
    module = a_package(tmp_path, "Two parts", **{"imsmanifest.xml": TWO_PARTS})
    enrolment = place(jun, [module])
    content, first = launch(client, enrolment, module)
    assert launch_values(content, first)["cmi.student_data.mastery_score"] == "80"
    commit(content, first, 1, {"cmi.core.score.raw": "90", "cmi.core.session_time": "00:02:00"}, fin=True)
    assert not StepDone.objects.exists()
    page = client.get(step_url(enrolment, module)).content.decode()
    assert 'The alarm</a> <span class="small muted"><b class="done-word">done' in " ".join(page.split())
    # Without a word about which, it goes on with the next part.
    assert client.get(step_url(enrolment, module)).context["part"] == 1
    content, second = launch(client, enrolment, module, part=1)
    start = launch_values(content, second)
    assert (start["cmi.core.entry"], start["cmi.launch_data"]) == ("ab-initio", "deck=car")
    assert "../files/page%20two.html?deck=2" in content.get(second).content.decode()
    assert "cmi.core.score.raw" not in start
    commit(content, second, 1, {"cmi.core.lesson_status": "completed", "cmi.core.session_time": "00:01:00"})
    attempt = Attempt.objects.get()
    assert (attempt.status, attempt.seconds, attempt.score) == ("completed", 180, Fraction(9, 10))
    assert Completion.objects.get().day == f.d("2026-05-14")


@pytest.mark.parametrize(("asked", "part"), [("9", 1), ("-1", 0), ("x", 0), ("", 0)])
def test_a_part_that_is_not_there_opens_the_nearest(jun, client, tmp_path, asked, part):
    module = a_package(tmp_path, "Two parts", **{"imsmanifest.xml": TWO_PARTS})
    enrolment = place(jun, [module])
    assert client.get(step_url(enrolment, module), {"part": asked}).context["part"] == part
    content, path = launch(client, enrolment, module)
    assert content.get(path.replace("/0/", "/7/")).status_code == 404


def test_the_newer_standard_is_judged_by_its_threshold_and_passing_score_at_every_commit(jun, client, tmp_path):
    module = a_package(tmp_path, "Newer", **{"imsmanifest.xml": NEWER})
    enrolment = place(jun, [module])
    content, path = launch(client, enrolment, module)
    start = launch_values(content, path)
    assert (start["cmi.completion_threshold"], start["cmi.scaled_passing_score"]) == ("0.75", "0.6")
    assert (start["cmi.learner_name"], start["cmi.mode"], start["cmi.entry"]) == ("Pellam, Jun", "normal", "ab-initio")
    # The page's own word does not count where there is something to judge by.
    commit(content, path, 1, {"cmi.completion_status": "completed", "cmi.progress_measure": "0.5"})
    assert not StepDone.objects.exists()
    commit(content, path, 2, {"cmi.progress_measure": "0.75", "cmi.score.scaled": "0.59"})
    assert not StepDone.objects.exists()
    commit(content, path, 3, {"cmi.score.scaled": "0.6", "cmi.session_time": "PT5M", "cmi.exit": "suspend"})
    assert StepDone.objects.get().score == Fraction(3, 5)
    assert Attempt.objects.get().seconds == 300


def test_read_only_values_and_older_reports_change_nothing(jun, client, tmp_path):
    module = a_package(tmp_path, "Newer", **{"imsmanifest.xml": NEWER})
    enrolment = place(jun, [module])
    content, path = launch(client, enrolment, module)
    launch_values(content, path)
    commit(
        content, path, 5, {"cmi.location": "p5", "cmi.learner_id": "me", "cmi.scaled_passing_score": "0.1", "x": "y"}
    )
    commit(content, path, 4, {"cmi.location": "p4", "cmi.suspend_data": "kept"})
    assert ScoState.objects.get().values == {"cmi.location": "p5", "cmi.suspend_data": "kept"}


def test_a_part_that_does_not_talk_is_done_when_it_is_shown(jun, client, tmp_path):
    module = a_package(tmp_path, "Leaflet", **{"imsmanifest.xml": SAYS_NOTHING})
    enrolment = place(jun, [module])
    content, path = launch(client, enrolment, module)
    assert not StepDone.objects.exists()
    content.get(path)
    assert StepDone.objects.get().score is None
    outcome = client.get(reverse("playing:outcome", args=[enrolment.public_id, module.public_id]))
    assert "1 of 1 step" in page_text(outcome)


def test_after_the_end_of_a_launch_nothing_more_is_taken_and_the_next_one_is_a_look_back(jun, client, tmp_path):
    module = a_package(tmp_path)
    enrolment = place(jun, [module])
    content, path = launch(client, enrolment, module)
    launch_values(content, path)
    commit(content, path, 1, {"cmi.core.lesson_status": "passed", "cmi.core.lesson_location": "end"}, fin=True)
    commit(content, path, 2, {"cmi.core.lesson_location": "start"})
    assert ScoState.objects.get().values["cmi.core.lesson_location"] == "end"
    content, path = launch(client, enrolment, module)
    start = launch_values(content, path)
    assert (start["cmi.core.lesson_mode"], start["cmi.core.entry"]) == ("review", "")
    assert start["cmi.core.lesson_location"] == "end"


def test_numbers_and_rules_without_bounds_stop_nobody(jun, client, tmp_path):
    """A mastery score with a billion digits, a rule of two thousand brackets, a session of ten to the thirty years."""
    hostile = TWO_PARTS.replace("masteryscore>80<", "masteryscore>1e999999999<").replace(
        "<adlcp:datafromlms>", f"<adlcp:prerequisites>{'(' * 2000}</adlcp:prerequisites><adlcp:datafromlms>"
    )
    module = a_package(tmp_path, "Two parts", **{"imsmanifest.xml": hostile})
    enrolment = place(jun, [module])
    content, first = launch(client, enrolment, module)
    assert "cmi.student_data.mastery_score" not in launch_values(content, first)
    sent = {
        "cmi.core.score.raw": "90",
        "cmi.core.lesson_status": "completed",
        "cmi.core.session_time": "P" + "9" * 30 + "Y",
    }
    assert commit(content, first, 1, sent, fin=True).status_code == 200
    assert Attempt.objects.get().seconds == 0
    page = client.get(step_url(enrolment, module))
    assert (page.status_code, page.context["part"]) == (200, 1)
