"""Notices in the organisation's own words."""

import pytest
from django.urls import reverse

from stepladder.notices import actions
from stepladder.notices.kinds import UnknownField
from stepladder.notices.models import Wording
from tests import factories as f
from tests.reading import page_text

pytestmark = pytest.mark.django_db


@pytest.fixture
def admin(organisation, client):
    account = f.an_account("administrator")
    client.force_login(account)
    return account


def test_a_kind_is_told_in_the_organisations_words_until_it_wants_the_first_ones_back(admin, client):
    jun = f.a_person("Jun Pellam")
    f.told(jun)
    words = reverse("notices:wording", args=["assigned"])
    page = page_text(client.get(words))
    # As it reads for somebody real, with what each field stands for.
    assert "As Jun Pellam was told last." in page
    assert "the course’s title" in page
    # Or for another who was told before.
    f.told(f.a_person("Ada Venn"))
    assert "As Ada Venn was told last." in page_text(client.get(words))
    said = {"subject": "Do “{course}”{by}", "text": "Ahoy {given_name},\n\n{subject}.\n{reasons}"}
    read = page_text(client.get(reverse("notices:preview", args=["assigned"]), said))
    assert "<b>Do “Fire”</b>" in read
    assert "Ahoy Ada," in read
    read = page_text(client.get(reverse("notices:preview", args=["assigned"]), said | {"to": jun.public_id}))
    assert "Ahoy Jun," in read
    assert client.post(words, said).status_code == 302
    (notice,) = f.told(jun)
    assert (notice.subject, notice.text) == ("Do “Fire”", "Ahoy Jun,\n\nDo “Fire”.\nTo be done.")
    assert "<b>yours</b>" in page_text(client.get(reverse("notices:wordings")))
    client.post(words, {"standard": "1"})
    assert f.told(jun)[0].subject == "“Fire” is to be done"
    assert not Wording.objects.exists()


def test_words_with_a_field_that_is_none_are_refused_and_stay_as_they_were_written(admin, client):
    words = reverse("notices:wording", args=["assigned"])
    answer = client.post(words, {"subject": "“{course}” by {day}", "text": "Ahoy {given_name}"})
    assert answer.status_code == 422
    page = page_text(answer)
    assert "{day}, which is none of by, course, given_name, reasons, subject" in page
    assert "Ahoy {given_name}" in page
    assert "{day}" in page_text(
        client.get(reverse("notices:preview", args=["assigned"]), {"subject": "{day}", "text": "x"})
    )
    with pytest.raises(UnknownField):
        actions.set_wording(kind="assigned", subject="{given_name.account}" + "{account}", text="x", by=admin)
    assert client.get(reverse("notices:wording", args=["nothing"])).status_code == 404
