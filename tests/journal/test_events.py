"""Events carry their act, and listeners are called phase by phase, whatever the order they were registered in."""

from dataclasses import dataclass

import pytest

from stepladder import events
from stepladder.events import Act, Phase
from tests import factories as f


@dataclass(frozen=True)
class Moved:
    what: str


@dataclass(frozen=True)
class Followed:
    what: str


ACT = Act(f.d("2026-05-14"), f.BY, 7)


@pytest.fixture
def heard(monkeypatch):
    monkeypatch.setattr(events, "_listeners", {})
    return []


def test_all_rows_are_derived_before_anybody_reacts_and_told_last(heard):
    def derive(event, act):
        heard.append(f"derive {event.what}")
        if isinstance(event, Moved):
            events.announce(Followed("reasons"), act)

    events.listen(Moved, lambda event, act: heard.append("tell"), phase=Phase.TELL)
    events.listen(Moved, lambda event, act: heard.append("react"), phase=Phase.REACT)
    events.listen(Followed, lambda event, act: heard.append("react to what follows"), phase=Phase.REACT)
    events.listen(Moved, derive, phase=Phase.DERIVE)
    events.listen(Followed, derive, phase=Phase.DERIVE)
    events.announce(Moved("unit"), ACT)
    assert heard == ["derive unit", "derive reasons", "react", "react to what follows", "tell"]


def test_listeners_get_the_act_with_its_day_its_actor_and_its_entry(heard):
    events.listen(Moved, lambda event, act: heard.append(act), phase=Phase.REACT)
    events.announce(Moved("unit"), ACT)
    assert heard == [Act(f.d("2026-05-14"), f.BY, 7)]


def test_after_one_that_raised_the_next_act_is_heard_as_ever(heard):
    def refuse(event, act):
        raise ValueError(event.what)

    events.listen(Moved, refuse, phase=Phase.DERIVE)
    events.listen(Followed, lambda event, act: heard.append(event.what), phase=Phase.DERIVE)
    with pytest.raises(ValueError, match="unit"):
        events.announce(Moved("unit"), ACT)
    events.announce(Followed("reasons"), ACT)
    assert heard == ["reasons"]
