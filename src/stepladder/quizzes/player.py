"""A quiz on the stage: before it is begun, its questions while the time runs, and what it came to."""

from __future__ import annotations

import random
from collections.abc import Mapping
from typing import Any

from django.http import HttpRequest
from django.template.loader import render_to_string

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.core.questions import read_question, right_in_words
from stepladder.core.questions.variants import draw_values, fill
from stepladder.core.quizzes import Plan, draw, is_over, read_plan, shortages
from stepladder.journal.actions import Actor
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library.models import ModuleVersion
from stepladder.playing.players import Player, Stage
from stepladder.playing.reading import LONGEST_NAME, Unreadable, read_number, read_object
from stepladder.quizzes import queries
from stepladder.quizzes.actions.papers import answer_question, hand_in_paper
from stepladder.quizzes.errors import AnsweredElsewhere
from stepladder.quizzes.models import Answer, Paper, QuizVersion, Wording
from stepladder.quizzes.pools import pools_of_version
from stepladder.writing.asking import show_question
from stepladder.writing.beside import played_for

__all__ = ["QuizPlayer"]


class QuizPlayer(Player):
    """What was answered is kept at once; what it comes to is said once it is handed in, and marked."""

    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        if attempt is None:
            return Stage("quizzes/trial.html", _trial(request, version))
        standing = queries.standing_of(attempt)
        context: dict[str, Any] = {"standing": standing, "plan": standing.plan, "conditions": standing.plan.conditions}
        if standing.under_way is not None:
            return Stage("quizzes/paper.html", context | _paper(request, standing.plan, standing.under_way))
        if standing.last is None:
            return Stage("quizzes/before.html", context)
        shows = standing.shows
        lines = (
            queries.reviewed(standing.last, shows, account_of(request).pk) if standing.last.score is not None else []
        )
        return Stage("quizzes/after.html", context | {"last": standing.last, "shows": shows, "review": lines})

    def open(self, attempt: Attempt, by: Actor) -> None:
        paper = Paper.objects.filter(attempt=attempt, handed_in_at=None).select_related("attempt").first()
        if paper is not None and is_over(paper.ends_at, clock.now()):
            hand_in_paper(paper=paper, by=by)

    def report(self, attempt: Attempt, body: bytes, by: Actor) -> Attempt:
        sent = read_object(body)
        answer, name = sent.get("answer"), sent.get("name", "")
        if not isinstance(answer, dict) or set(answer) != {"question", "given", "aside", "revision", "tab"}:
            raise Unreadable(
                "“answer” has a question, what was given, whether it is set aside, its revision and the tab"
            )
        if not isinstance(name, str) or len(name) > LONGEST_NAME:
            raise Unreadable(f"“name” is text of at most {LONGEST_NAME} signs")
        place, revision = (int(read_number(answer, key, 0)) for key in ("question", "revision"))
        try:
            kept = answer_question(
                attempt=attempt,
                place=place,
                given=answer["given"],
                is_set_aside=answer["aside"] is True,
                revision=revision,
                tab=str(answer["tab"])[:20],
                by=by,
                seconds=read_number(sent, "seconds", 0),
                ago=read_number(sent, "ago", 0),
                name=name,
            )
        except AnsweredElsewhere as refusal:
            # For `said`, which is asked next, of this very attempt: the page shows what stands there now.
            attempt.elsewhere = (place, str(refusal))  # type: ignore[attr-defined]
            return attempt
        return kept.paper.attempt

    def share(self, attempt: Attempt) -> int:
        rows = list(Answer.objects.filter(paper__attempt=attempt).values_list("given", flat=True))
        return sum(given not in (None, "", []) for given in rows) * 100 // len(rows) if rows else 0

    def said(self, attempt: Attempt) -> Mapping[str, Any]:
        place, words = getattr(attempt, "elsewhere", (attempt.data.get("answered"), ""))
        paper = Paper.objects.filter(attempt=attempt).first()
        answer = paper.answers.filter(place=place).first() if paper else None
        if paper is None or answer is None:
            return {}
        said: dict[str, Any] = {
            "place": place,
            "revision": answer.revision,
            "answered": answer.given not in (None, "", []),
        }
        said["aside"] = answer.is_set_aside
        if words:
            mine = [one for one in queries.answers_of(paper) if one.place == place]
            account = attempt.enrolment.person.account
            (line,) = queries.asked(paper, mine, account.pk if account else 0)
            # What was answered in the other tab takes the place of what stands in this one.
            said |= {"elsewhere": words, "html": render_to_string("quizzes/question_fields.html", {"line": line})}
        return {"question": said, "left": queries.seconds_left(paper, clock.now())}


def _paper(request: HttpRequest, plan: Plan, paper: Paper) -> dict[str, Any]:
    answers = queries.answers_of(paper)
    lines = queries.asked(paper, answers, account_of(request).pk)
    number = min(max(whole_number(request.GET.get("question", "")) or 1, 1), len(lines))
    one_at_a_time = plan.conditions.is_one_at_a_time
    return {
        "paper": paper,
        "lines": lines,
        "shown": [lines[number - 1]] if one_at_a_time else lines,
        "number": number,
        "next_number": number + 1 if one_at_a_time and number < len(lines) else None,
        "left": queries.seconds_left(paper, clock.now()),
        "unanswered": sum(not line.is_answered for line in lines),
    }


def _trial(request: HttpRequest, version: ModuleVersion) -> dict[str, Any]:
    """Questions drawn for somebody who only looks; `draw` draws others. What is right is shown to whoever may change them."""
    quiz = QuizVersion.objects.get(version=version)
    plan, pools = read_plan(quiz.plan), pools_of_version(quiz)
    number = whole_number(request.GET.get("draw", "")) or 1
    chance = random.Random(number)  # noqa: S311 - nobody is examined by it
    drawn = [] if shortages(plan, pools) else draw(plan, pools, chance)
    wordings = Wording.objects.select_related("key_from").in_bulk([one.question for one in drawn])
    play = played_for(account_of(request).pk, [wording.data for wording in wordings.values()])
    lines = []
    for place, one in enumerate(drawn, 1):
        raw = wordings[one.question].holding
        ranges = read_question(raw).drawn
        raw = fill(raw, draw_values(ranges, raw, chance) if ranges else {})
        shown = show_question(raw, str(place), f"trial-{version.pk}-{number}", play=play)
        lines.append((shown, one, plan.sections[one.section], right_in_words(read_question(raw))))
    may_see = bool(policy.may(request.user, "change modules", version.module))
    return {"plan": plan, "conditions": plan.conditions, "lines": lines, "may_see": may_see, "next_draw": number + 1}
