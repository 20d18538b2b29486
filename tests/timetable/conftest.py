import pytest

from tests import factories as f


@pytest.fixture
def drill(organisation, media, on):
    """A session of two seats on 10 June, taught by Una Finch; today is 14 May."""
    on("2026-05-14")
    return f.a_session(capacity=2, instructors=[f.a_person("Una Finch", email="una@ferries.example")])
