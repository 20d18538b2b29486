"""The stage of a step that is done by attending a session: the times that one may choose."""

from __future__ import annotations

from django.http import HttpRequest

from stepladder.learning.models import Attempt, Enrolment
from stepladder.library.models import ModuleVersion
from stepladder.playing.players import Player, Stage
from stepladder.timetable import queries
from stepladder.timetable.models import Session

__all__ = ["SessionPlayer"]


class SessionPlayer(Player):
    """Nothing is played: whoever signs off the roster says that it is done."""

    begins_attempt = False

    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        """The sessions that a learner may take for this step; in a trial what there is, without anybody's seat."""
        if enrolment is None:
            to_come = queries.with_all(queries.find_sessions(Session.objects.filter(module=version.module)))
            return Stage("timetable/stage.html", {"rows": queries.session_rows(to_come[:20]), "offers": []})
        offers = queries.offers(version.module, enrolment.person)
        return Stage("timetable/stage.html", {"offers": offers, "person": enrolment.person, "rows": []})
