"""What quizzes hand in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily
from stepladder.journal import sealing, verbs
from stepladder.library import use
from stepladder.library.kinds import add_kind
from stepladder.library.own_pictures import MOST_BYTES as MOST_PICTURE_BYTES
from stepladder.library.places import add_place
from stepladder.notices.kinds import add_notice_kind
from stepladder.playing.players import add_player
from stepladder.queue import kinds as queue_kinds
from stepladder.quizzes import models, notices, queries, settling_tasks, shown, tasks, undoing
from stepladder.quizzes.actions import correcting
from stepladder.quizzes.actions.files import MOST_BYTES
from stepladder.quizzes.forms import MOST_TEXT_BYTES
from stepladder.quizzes.kind import KIND
from stepladder.quizzes.player import QuizPlayer
from stepladder.web import bodies, margin

add_kind(KIND)
add_player(KIND.name, QuizPlayer())
add_place("Question banks", "quizzes:banks", verb="change modules")
add_place("To mark", "quizzes:marking", verb="mark")
add_notice_kind(notices.MARKED)
# What was answered is kept by the facts of handing in and marking.
sealing.watch(models.Wording, models.WordingMedia, models.QuizVersion, models.Marking, models.Allowed)
verbs.register(
    create_bank="began a question bank in “{binder}”",
    add_questions="has {count} more questions",
    keep_items="has {count} items beside it that are not asked here",
    drop_item="has the item “{item}” no more",
    word_question="has “{question}” in other words",
    remove_questions="has {count} questions less",
    put_back_questions="has {count} questions back",
    correct_key="has another key for “{question}”, by which {count} papers were judged anew",
    allow_in_quizzes="has {time} % more time and {attempts} more attempts in {where}: {because}",
    end_allowed_in_quizzes="has no more time or attempts than others in {where}",
)
undoing.register()
use.add_user(queries.in_questions)
queue_kinds.add_kind(
    queue_kinds.Kind("judge anew", "judging answers by a corrected key", correcting.judge_anew, piece=50)
)
queue_kinds.describe(settling_tasks.settle_paper, settling_tasks.words)
queue_kinds.describe(tasks.hand_in_late, lambda said: "handing in attempts at quizzes whose time is up")
margin.add_section("person", 30, shown.allowed_section)
margin.add_verb("person", 30, shown.allow_verb)
margin.add_verb("module", 20, shown.items_verb)
daily.add_frequent(tasks.enqueue_late)
bodies.take_long("quizzes:paste", MOST_TEXT_BYTES + 65_536)
bodies.take_long("quizzes:new_question", 8 * MOST_PICTURE_BYTES)
bodies.take_long("quizzes:question", 8 * MOST_PICTURE_BYTES)
bodies.take_long("quizzes:files", MOST_BYTES + 65_536)
