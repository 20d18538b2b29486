"""A task on the stage: what is looked at, what was signed so far, and the way to ask for it."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from stepladder.core.sign_offs import in_words, read_check_list
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library.models import ModuleVersion
from stepladder.playing.players import Player, Stage
from stepladder.signing.models import Asked, Task
from stepladder.signing.queries import lines_of, standing_of
from stepladder.signing.signers import signers_of

__all__ = ["TaskPlayer"]


class TaskPlayer(Player):
    """Nothing is reported from its page: what is done is signed by somebody else."""

    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        if attempt is None or enrolment is None:
            check_list = read_check_list(version.data["check_list"])
            lines = lines_of(check_list, [])
            return Stage(
                "signing/trial.html", {"check_list": check_list, "lines_seen": lines, "needs": in_words(check_list)}
            )
        standing = standing_of(attempt)
        asked = Asked.objects.filter(attempt=attempt, settled_at=None).select_related("of").first()
        context: dict[str, Any] = {
            "standing": standing,
            "lines_seen": standing.lines,
            "needs": in_words(standing.check_list),
            "asked": asked,
            "signers": signers_of(enrolment.person, Task.objects.filter(module=version.module_id).first()),
        }
        return Stage("signing/step.html", context)

    def share(self, attempt: Attempt) -> int:
        check_list = read_check_list(attempt.version.data["check_list"])
        met = len({one.key for one in check_list.criteria} & set(attempt.data.get("met", [])))
        if attempt.status == "completed":
            return 100
        return min(met * 100 // check_list.count, 99) if check_list.count else 0
