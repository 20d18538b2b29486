from __future__ import annotations

import os
import shutil
from datetime import datetime
from zoneinfo import ZoneInfo

import hypothesis
import pytest
from django.conf import settings
from django.db import connection

from stepladder import clock
from stepladder.accounts import organisation as organisations
from stepladder.accounts.models import Organisation
from stepladder.assignments import columns
from stepladder.people import name_order
from tests.shared import empty_installation

# A busy machine makes an example slow now and then; what is fast is measured in bench/.
hypothesis.settings.register_profile("stepladder", deadline=None)
hypothesis.settings.load_profile("stepladder")


def pytest_report_header():
    return f"day: {clock.now():%A %-d %B %Y}"


def pytest_collection_modifyitems(items):
    """What takes long is run where it was asked for: `./ladder test --long`."""
    if not os.environ.get("STEPLADDER_LONG"):
        items[:] = [item for item in items if not item.get_closest_marker("long")]


@pytest.fixture(scope="session")
def django_db_keepdb():
    """Whether the database is there already: processes that run beside each other migrate once, and have a copy each."""
    if installation := empty_installation():
        shutil.copy(installation / "stepladder.sqlite3", settings.DATABASES["default"]["TEST"]["NAME"])
    return bool(installation)


@pytest.fixture
def empty_database(tmp_path, django_db_blocker):
    """Until the end of the test the application's database is one without any table."""
    kept = connection.settings_dict["NAME"]
    with django_db_blocker.unblock():
        connection.close()
        connection.settings_dict["NAME"] = str(tmp_path / "empty.sqlite3")
        yield
        connection.close()
        connection.settings_dict["NAME"] = kept


@pytest.fixture(autouse=True)
def _nothing_kept():
    """What processes keep in memory does not pass from one test to the next."""
    organisations.forget()
    columns._cache.clear()
    name_order.forget()


@pytest.fixture
def organisation(db):
    return Organisation.objects.create(name="Marram Sound Ferries")


@pytest.fixture
def on():
    """Pin the clock: `on("2027-03-01")`, at noon, until the test ends."""
    pinned = []

    def pin(day: str, hour: int = 12):
        block = clock.pinned(datetime.fromisoformat(day).replace(hour=hour, tzinfo=ZoneInfo("Europe/London")))
        block.__enter__()
        pinned.append(block)

    yield pin
    for block in reversed(pinned):
        block.__exit__(None, None, None)


@pytest.fixture
def media(settings, tmp_path):
    settings.MEDIA_ROOT = tmp_path / "media"
    return settings.MEDIA_ROOT
