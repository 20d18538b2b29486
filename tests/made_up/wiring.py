"""A made-up app: a kind of module that is made here and marked by people, its player, a notice, and a column of lists."""

from __future__ import annotations

import json

from stepladder.learning.marking import hand_in
from stepladder.library.kinds import Export, Kind, Made, TakenAlong, add_kind
from stepladder.notices.kinds import NoticeKind, add_notice_kind
from stepladder.playing.players import Player, Stage, add_player
from stepladder.playing.standards import Standard, add_standard
from stepladder.records.list_columns import ListColumn, add_list_column
from stepladder.web import margin


class EssayPlayer(Player):
    """The question, and what was handed in."""

    def stage(self, request, version, enrolment, attempt):
        return Stage("made_up/essay.html", {"question": version.data["question"]})

    def report(self, attempt, body, by):
        hand_in(attempt=attempt, data={"text": json.loads(body)["text"]}, by=by)
        return attempt

    def share(self, attempt):
        return 100 if attempt.ended_at else 0


def exported(version, path, progress):
    path.write_text(version.data["question"])
    progress(1, 1)
    return TakenAlong("essay.txt", ())


ESSAY = Kind(
    "essay",
    lambda data: f"“{data['question']}”",
    lambda data: "done when somebody has marked it",
    made=Made("Something to write about?", "New essay…", "library:binder"),
    section=lambda request, module, version: margin.Panel(
        "Question", "made_up/section.html", {"draft": version is None}
    ),
    words=lambda version: version.data["question"],
    exports=(Export("text", "As text", exported),),
)

add_kind(ESSAY)
add_player("essay", EssayPlayer())
add_standard(Standard("made up", EssayPlayer(), "made_up/essay.js"))
add_notice_kind(
    NoticeKind(
        "essay marked", "An essay is marked", "“{title}” is marked", "{given_name}, look.", {"title": "its title"}
    )
)
add_list_column(
    ListColumn(
        "letters",
        "Letters",
        lambda rows, filters: [len(row.course.title) for row in rows],
        25,
        sort=lambda columns, day: [-columns.course],
        link=lambda row, filters: f"/courses/{row.course.public_id}/",
        css="n",
    )
)
