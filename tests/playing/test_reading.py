"""What arrives from players and packages: taken as it is meant, or refused with a word."""

import json

import pytest

from stepladder.playing.reading import Commit, Report, Unreadable, read_commit, read_report


def test_a_commit_is_read_as_it_is_meant():
    sent = {
        "seq": 3,
        "fin": True,
        "set": {"cmi.location": "p3", "cmi.score.raw": 85, "cmi.interactions": [], "cmi.x": None},
    }
    assert read_commit(json.dumps(sent).encode()) == Commit({"cmi.location": "p3", "cmi.score.raw": 85}, 3, True)


def test_a_report_is_read_as_it_is_meant():
    assert read_report(b'{"played": [[0, 2.5]], "at": 2.5, "seconds": 3}') == Report([(0.0, 2.5)], 2.5, 3)
    assert read_report(b'{"pages": [[1, 2]], "at": 1}') == Report([(1.0, 2.0)], 1.0, 0)


@pytest.mark.parametrize(
    ("sent", "says"),
    [
        ({"seq": -1, "set": {}}, "“seq” is a whole number"),
        ({"seq": True, "set": {}}, "“seq” is a whole number"),
        ({"seq": 1, "set": {"cmi.suspend_data": "x" * 200_001}}, "“cmi.suspend_data” is longer than 200000 signs"),
        ({"seq": 1, "set": {"cmi.x": {"a": 1}}}, "“cmi.x” has a value that is neither text nor number"),
        ({"seq": 1, "set": {"cmi.é": 1}}, "has others than the standard’s"),
        ({"seq": 1, "set": {f"cmi.{n}": 1 for n in range(20_001)}}, "at most 20000"),
        ({"seq": 1, "fin": 1, "set": {}}, "“fin”, “leaving” and “parting” are true or false"),
        ({"seq": 1, "set": {"cmi.x": "\ud800"}}, "half a letter"),
    ],
)
def test_what_no_package_sends_is_refused_with_a_word(sent, says):
    with pytest.raises(Unreadable, match=says):
        read_commit(json.dumps(sent).encode())
