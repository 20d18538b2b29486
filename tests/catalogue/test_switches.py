"""What an organisation does not want is neither offered nor taken, and what there was comes back with it."""

from __future__ import annotations

import pytest
from django.urls import reverse

from stepladder.accounts.models import Organisation
from stepladder.catalogue.actions import keeping, passing
from stepladder.catalogue.errors import CatalogueError
from stepladder.catalogue.things import things_for
from stepladder.journal.models import Entry
from stepladder.playing.media import may_be_taken
from tests import factories as f
from tests.catalogue.test_entering import jun, offered  # noqa: F401
from tests.catalogue.test_things import complete

pytestmark = pytest.mark.django_db


def test_what_is_switched_off_is_hidden_refused_and_kept(jun, client):  # noqa: F811
    course = offered(f.a_course("Lines"))
    mates = [f.a_person(f"Mate {n}") for n in range(3)]
    for mate in (jun, *mates):
        complete(mate, course)
        keeping.rate(person=mate, thing=course, points=4, words="", by=f.BY)
    passing.pass_on(person=mates[0], thing=course, to=[jun], words="", by=f.BY)
    admin = f.an_account("administrator")
    client.force_login(admin)
    address = reverse("accounts:organisation")
    page = client.get(address).content.decode()
    assert "Now 4 ratings." in page
    assert "Now 1 thing passed on." in page
    # As a browser would send the page with one tick left.
    saved = Organisation.objects.get()
    names = ("name", "zone", "first_weekday", "first_month", "day_order", "notice_days", "soon_days")
    sent = {name: getattr(saved, name) for name in names} | {"begins_early": "on"}
    assert client.post(address, {**sent, "allowed": ["downloads"]}).status_code == 302
    assert "switched off" in Entry.objects.latest("number").data["changes"]
    (thing,) = things_for(jun.account)
    assert (thing.rated, thing.others, thing.passed_by) == (None, 0, "")
    with pytest.raises(CatalogueError, match="does not want ratings"):
        keeping.rate(person=jun, thing=course, points=5, words="", by=jun.account)
    with pytest.raises(CatalogueError, match="to be passed on"):
        passing.pass_on(person=jun, thing=course, to=mates, words="", by=jun.account)
    client.force_login(jun.account)
    shown = client.get(reverse("catalogue:thing", args=[course.public_id])).content.decode()
    assert "How was it?" not in shown
    assert "Pass it on" not in shown
    client.force_login(admin)
    client.post(address, {**sent, "allowed": ["ratings", "passing on", "what others did"]})
    (thing,) = things_for(jun.account)
    assert thing.rated is not None
    assert (thing.rated.raters, thing.others, thing.passed_by) == (4, 3, "Mate 0")
    # Switched off in its place: files are not taken along any more, whatever their rights.
    module = f.a_module("The booklet")
    assert not may_be_taken(module.versions.get())
