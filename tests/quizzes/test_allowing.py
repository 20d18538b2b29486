"""More time and attempts for somebody: said with a reason, seen on their sheet, ended, taken back."""

import pytest

from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.quizzes.models import Allowed
from tests import factories as f
from tests.quizzes.asked import a_released

pytestmark = pytest.mark.django_db


def test_what_somebody_is_allowed_is_said_seen_ended_and_taken_back(client):
    person, by = f.a_person("Jun Pellam"), f.an_account("administrator")
    module = a_released().module
    client.force_login(by)
    address, sheet = f"/people/{person.public_id}/quizzes/", f"/people/{person.public_id}/"
    assert "more time" not in client.get(sheet).content.decode()
    wrong = client.post(address, {"extra_time": "0", "because": "Reads slowly"})
    assert (wrong.status_code, "Say how much more time" in wrong.content.decode()) == (422, True)
    said = {"extra_time": "25", "extra_attempts": "1", "quiz": module.public_id, "because": "Reads slowly"}
    assert client.post(address, said)["Location"] == sheet
    page = " ".join(client.get(sheet).content.decode().split())
    assert "25 % more time, 1 more attempt in “Galley hygiene”" in page
    assert "Reads slowly" in page
    # Said anew, it takes the place of what was said before.
    client.post(address, {**said, "extra_time": "50"})
    assert list(Allowed.objects.filter(ended_at=None).values_list("extra_time", flat=True)) == [50]
    client.post(address, {"end": str(Allowed.objects.get(ended_at=None).pk)})
    assert not Allowed.objects.filter(ended_at=None).exists()
    undoing.take_back(Entry.objects.latest("number"), by=by)
    assert Allowed.objects.get(ended_at=None).extra_time == 50
    assert client.post(address, {"end": "9" * 30}).status_code == 404
