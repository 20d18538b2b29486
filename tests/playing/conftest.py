import pytest

from tests import factories as f
from tests.playing.packages import APP


@pytest.fixture
def jun(organisation, media, client, on):
    """A learner who is signed in, on a day in May."""
    on("2026-05-14")
    person = f.a_person("Jun Pellam")
    client.force_login(f.an_account("learner", name=person.name, person=person))
    client.defaults["HTTP_HOST"] = APP
    return person
