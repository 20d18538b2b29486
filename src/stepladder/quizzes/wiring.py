"""What quizzes hand in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily
from stepladder.journal import sealing, verbs
from stepladder.library.kinds import add_kind
from stepladder.library.own_pictures import MOST_BYTES as MOST_PICTURE_BYTES
from stepladder.library.places import add_place
from stepladder.notices.kinds import add_notice_kind
from stepladder.playing.players import add_player
from stepladder.quizzes import models, notices, tasks, undoing
from stepladder.quizzes.actions.files import MOST_BYTES
from stepladder.quizzes.forms import MOST_TEXT_BYTES
from stepladder.quizzes.kind import KIND
from stepladder.quizzes.player import QuizPlayer
from stepladder.web import bodies

add_kind(KIND)
add_player(KIND.name, QuizPlayer())
add_place("Question banks", "quizzes:banks", verb="change modules")
add_place("To mark", "quizzes:marking", verb="mark")
add_notice_kind(notices.MARKED)
# What was answered is kept by the facts of handing in and marking.
sealing.watch(models.Wording, models.QuizVersion, models.Marking, models.Allowed)
verbs.register(
    create_bank="began a question bank in “{binder}”",
    add_questions="has {count} more questions",
    word_question="has “{question}” in other words",
    remove_questions="has {count} questions less",
    put_back_questions="has {count} questions back",
)
undoing.register()
daily.add_frequent(tasks.enqueue_late)
bodies.take_long("quizzes:paste", MOST_TEXT_BYTES + 65_536)
bodies.take_long("quizzes:new_question", 8 * MOST_PICTURE_BYTES)
bodies.take_long("quizzes:question", 8 * MOST_PICTURE_BYTES)
bodies.take_long("quizzes:files", MOST_BYTES + 65_536)
