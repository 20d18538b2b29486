"""What whoever runs an installation is told: at the start, and in the log."""

import json
import logging

import pytest
from django.core.checks import run_checks
from django.urls import path

from stepladder.web import checks
from stepladder.web.logs import AsJson, PlainRefusals
from stepladder.web.request_ids import HEADER, current_id


def broken(request):
    logging.getLogger("stepladder.test").warning("It is %s.", "broken")
    raise RuntimeError("in pieces")


urlpatterns = [path("broken/", broken)]
handler500 = "stepladder.web.errors.server_error"


class Lines(logging.Handler):
    def __init__(self):
        super().__init__()
        self.lines = []
        self.setFormatter(AsJson())
        self.addFilter(PlainRefusals())

    def emit(self, record):
        self.lines.append(json.loads(self.format(record)))


@pytest.fixture
def log():
    handler = Lines()
    logging.getLogger().addHandler(handler)
    yield handler.lines
    logging.getLogger().removeHandler(handler)


@pytest.mark.urls("tests.web.test_running")
def test_what_breaks_stands_in_the_log_under_the_number_that_its_page_shows(client, log, settings, db):
    client.raise_request_exception = False
    settings.MIDDLEWARE = ["stepladder.web.request_ids.GiveRequestId"]
    answer = client.get("/broken/")
    number = answer.headers[HEADER]
    assert answer.status_code == 500
    assert f'<span class="fig">{number}</span>' in answer.content.decode()
    said = {line["message"]: line for line in log}
    assert said["It is broken."]["request"] == number
    error = said["Internal Server Error: /broken/"]
    assert (error["request"], error["status"], error["level"]) == (number, 500, "ERROR")
    assert "RuntimeError: in pieces" in error["trace"]
    assert current_id() == ""


@pytest.mark.parametrize(
    ("behind", "given", "kept"), [(True, "abc-12345678", True), (True, "x y\n", False), (False, "abc-12345678", False)]
)
def test_the_number_of_a_proxy_is_kept_where_one_stands_before(client, settings, db, behind, given, kept):
    settings.BEHIND_TLS = behind
    answer = client.get("/healthz", headers={HEADER: given.strip()} if kept else {HEADER: given.replace("\n", "")})
    assert (answer.headers[HEADER] == given) == kept
    assert len(answer.headers[HEADER]) >= 8


@pytest.mark.parametrize(
    ("wrong", "found"),
    [
        ({"PUBLIC_ADDRESS": "training.example"}, "stepladder.E011"),
        ({"PUBLIC_ADDRESS": "https://training.example/learn"}, "stepladder.E011"),
        ({"CONTENT_HOST": "content.example"}, "stepladder.W009"),
        ({"APP_HOST": "training.example", "EMAIL_HOST": ""}, "stepladder.W008"),
        ({"LITTLE": 2**62}, "stepladder.W007"),
        ({"SQLITE": (99,)}, "stepladder.E010"),
        ({"ROOT": "gone"}, "stepladder.W012"),
        ({"FOLDER": "gone"}, "stepladder.E006"),
    ],
)
def test_each_thing_that_is_wrong_in_the_set_up_has_an_id_a_reason_and_a_remedy(
    settings, monkeypatch, tmp_path, caplog, wrong, found
):
    for name, value in wrong.items():
        if name == "LITTLE":
            monkeypatch.setattr(checks, "LITTLE_ROOM", value)
        elif name == "SQLITE":
            monkeypatch.setattr(checks, "LEAST_SQLITE", value)
        elif name == "ROOT":
            settings.SOURCE_ROOTS = [tmp_path / value]
        elif name == "FOLDER":
            settings.DATA_DIR = tmp_path / value
        else:
            setattr(settings, name, value)
    said = {message.id: message for message in run_checks(tags=[checks.TAG])}
    assert said[found].msg
    assert said[found].hint
    if ".E" in found:
        with pytest.raises(SystemExit, match=found):
            checks.told_at_start()
    else:
        checks.told_at_start()
        assert found in caplog.text


def test_a_sound_set_up_is_silent(settings, caplog):
    settings.SOURCE_ROOTS = [settings.DATA_DIR / "sources"]
    checks.told_at_start()
    assert [record for record in caplog.records if "W007" not in record.getMessage()] == []
