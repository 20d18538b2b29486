"""The reports that are there from the start: questions that everybody who runs training is asked."""

from __future__ import annotations

from dataclasses import dataclass, field

from stepladder.reports.sentences import Sentence

__all__ = ["READY", "ReadyReport", "ready_named"]


@dataclass(frozen=True)
class ReadyReport:
    """A report by its name in addresses, its title, what it tells, and the sentence that it begins with;
    or the *address* of a page of its own."""

    name: str
    title: str
    tells: str
    sentence: Sentence = field(default_factory=Sentence)
    address: str = ""


def _asks(figure: str, by: str = "", then: str = "", first: str = "start of this year") -> Sentence:
    return Sentence(figure=figure, by=by, then=then, first=first, last="today")


READY = (
    ReadyReport(
        "covered",
        "Covered, month by month",
        "How many of what is asked is covered and on time, on the last day of each month.",
        _asks("requirements.covered", "month", first="start of last year"),
    ),
    ReadyReport(
        "on-time",
        "On time by unit",
        "Which units were late, quarter by quarter.",
        _asks("requirements.on_time", "unit2", "quarter", "start of last year"),
    ),
    ReadyReport("hours", "Hours by unit", "How long people learned, in all and a head.", _asks("time.hours", "unit1")),
    ReadyReport(
        "hours-by-month",
        "Hours, month by month",
        "How long people learned in each month.",
        _asks("time.hours", "month", first="start of last year"),
    ),
    ReadyReport(
        "completions",
        "Completed in a period",
        "Who completed what, with score and certificate.",
        _asks("completions.completions", first="start of this month"),
    ),
    ReadyReport(
        "attended",
        "Who attended what",
        "Who was at which session.",
        _asks("seats.attended", first="start of this quarter"),
    ),
    ReadyReport(
        "days",
        "How long it takes",
        "Days from the opening to the completion, course by course.",
        _asks("completions.days_taken", "course", first="start of last year"),
    ),
    ReadyReport(
        "at-once",
        "Passed at once",
        "Of how many the first attempt passed, quiz by quiz.",
        _asks("attempts.passed_at_once", "module", first="start of last year"),
    ),
    ReadyReport(
        "watched", "What of it is watched", "Which parts are seen, gone past and seen again.", address="reports:watched"
    ),
    ReadyReport(
        "questions",
        "Which question misleads",
        "Which questions those get wrong who get the others right.",
        _asks("answers.discrimination", "question", first="start of last year"),
    ),
    ReadyReport(
        "seats",
        "Sessions and seats used",
        "How many seats were offered, and how many taken.",
        _asks("seats.used", "month"),
    ),
    ReadyReport(
        "instructors",
        "What instructors teach",
        "Sessions and hours of each instructor.",
        _asks("seats.hours_taught", "instructor"),
    ),
    ReadyReport("skills", "Skills held", "How many people hold which level.", address="reports:skills"),
    ReadyReport(
        "learns",
        "Who learns at all",
        "In which units people learned something, and in which nobody did.",
        _asks("people.learned", "unit1", first="start of this quarter"),
    ),
    ReadyReport(
        "adoption",
        "Who signs in and opens",
        "Of those with a sign-in, how many opened something, month by month.",
        _asks("people.adoption", "month"),
    ),
    ReadyReport(
        "opened",
        "Opened, kept, passed on",
        "What people open, keep, pass on, note and rate.",
        _asks("use.opened", "module"),
    ),
    ReadyReport(
        "courses",
        "Courses side by side",
        "Covered, days taken, scores, passed at once and hours.",
        address="reports:courses",
    ),
    ReadyReport(
        "paths", "Paths: who is where", "How many stand in which stage, and how long it takes.", address="reports:paths"
    ),
    ReadyReport(
        "nothing",
        "Who has learned nothing",
        "Who neither opened, attended nor completed anything.",
        _asks("people.learned_nothing"),
    ),
)


def ready_named(name: str) -> ReadyReport | None:
    return next((report for report in READY if report.name == name and not report.address), None)
