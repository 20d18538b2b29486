"""The pages of what is told."""

import pytest
from django.urls import reverse

from stepladder.accounts.models import Organisation
from stepladder.telling import views
from stepladder.telling.actions import RuleSaid, add_rule
from stepladder.telling.models import NoticeRule
from tests import factories as f
from tests.reading import page_text
from tests.telling.test_run import asked, run

RULE = {"days": "7", "side": "before", "moment": "due", "to": ["person"], "words": "", "once": "once"}


@pytest.fixture
def told(organisation, media, on, client):
    """Three people who are asked for Fire by Monday week, and an administrator who is signed in."""
    on("2027-03-01")
    crew = [f.a_person(name) for name in ("Jun Pellam", "Ada Venn", "Mo Reed")]
    asked(f.a_course("Fire"), *crew)
    client.force_login(f.an_account("administrator"))
    return crew


def test_without_a_rule_one_begins_with_three(told, client):
    assert "No rule yet" in page_text(client.get(reverse("telling:rules")))
    client.post(reverse("telling:begin"))
    page = page_text(client.get(reverse("telling:rules")))
    assert "7 days before the due day" in page
    assert "the person and whoever they answer to" in page
    # The first run is today's; a week before the due day is Monday.
    assert "with the next run, Mon 1 Mar 2027" in page
    assert "week of 8 Mar 2027: 3" in page
    client.post(reverse("telling:begin"))
    assert NoticeRule.objects.count() == 3


def test_a_rule_is_counted_before_it_is_saved_and_changed_afterwards(told, client, on):
    new = reverse("telling:new")
    preview = page_text(client.get(reverse("telling:preview"), RULE))
    assert '<b class="fig">3</b> within four weeks' in preview
    assert "at least one of them" in page_text(client.post(new, {**RULE, "to": []}))
    assert client.post(new, {**RULE, "days": "0", "side": "after"}).status_code == 422
    client.post(new, RULE)
    rule = NoticeRule.objects.get()
    assert rule.offset == -7
    assert "a rule for that day already" in page_text(client.post(new, {**RULE, "once": "other"}))
    changed = {**RULE, "days": "3", "named": told[1].public_id, "once": "third"}
    client.post(reverse("telling:rule", args=[rule.public_id]), changed)
    rule.refresh_from_db()
    assert (rule.offset, [person.name for person in rule.named.all()]) == (-3, ["Ada Venn"])
    assert len(run(on, "2027-03-12")) == 3
    client.post(reverse("telling:end", args=[rule.public_id]))
    assert client.get(reverse("telling:rule", args=[rule.public_id])).status_code == 404


def test_a_rule_that_would_tell_very_many_with_the_next_run_is_asked_about_first(told, client, on, monkeypatch):
    monkeypatch.setattr(views, "ASK_FROM", 3)
    on("2027-03-08")
    answer = client.post(reverse("telling:new"), RULE)
    assert answer.status_code == 422
    assert "It would tell 3 people with the next run." in page_text(answer)
    assert not NoticeRule.objects.exists()
    assert client.post(reverse("telling:new"), {**RULE, "many": "on"}).status_code == 302
    assert NoticeRule.objects.exists()


def test_a_slip_in_a_pasted_list_of_holidays_is_named_and_nothing_of_it_is_lost(told, client):
    quiet = reverse("telling:quiet")
    dates = "2 Apr 2027 Good Friday\n2027-04-05, Easter Monday\n31 Jun 2027 Regatta\n03/05/2027 May day\n"
    said = {"weekdays": ["5", "6"], "tells_at": "6", "dates": dates}
    page = page_text(client.post(quiet, said))
    assert "Line 3, “31 Jun 2027 Regatta”" in page
    assert "Line 4, “03/05/2027 May day”: " in page
    assert "2027-04-05, Easter Monday" in page
    assert Organisation.objects.get().quiet_dates == []
    client.post(quiet, {**said, "dates": dates.replace("31 Jun", "30 Jun").replace("03/05/2027", "3 May 2027")})
    kept = Organisation.objects.get()
    assert kept.quiet_dates[0] == ["2027-04-02", "Good Friday"]
    assert len(kept.quiet_dates) == 4
    assert kept.tells_at == 6
    assert "Leave one weekday" in page_text(client.post(quiet, {**said, "dates": "", "weekdays": list("0123456")}))


def test_a_sheet_shows_its_own_rules_and_leads_to_one_more(told, client):
    course = f.a_course("Lines")
    add_rule(of=course, said=RuleSaid("expiry", 1, ["person", "contact"]), by=f.BY)
    page = page_text(client.get(reverse("courses:course", args=[course.public_id])))
    assert "1 day after the last valid day, to the person and the course’s contact" in page
    new = reverse("telling:new") + f"?of={course.public_id}"
    assert new in page
    assert "For “Lines” alone" in page_text(client.get(new))
    client.post(new, RULE)
    assert NoticeRule.objects.filter(course=course).count() == 2
