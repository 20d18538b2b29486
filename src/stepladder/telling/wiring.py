"""What telling hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily
from stepladder.journal import verbs
from stepladder.notices.kinds import add_notice_kind
from stepladder.queue.kinds import Kind, add_kind
from stepladder.telling import notices, reactions, tasks
from stepladder.web import margin
from stepladder.web.frame import add_foot_page

add_foot_page(25, "What is told", "telling:rules", verb="keep notice rules")
verbs.register(
    add_notice_rule="tells from now on {rule}",
    change_notice_rule="tells otherwise: {rule}",
    end_notice_rule="tells no longer {rule}",
)
add_notice_kind(notices.DAY)
add_kind(Kind(tasks.RUN, "notices by rule", tasks.tell_readers, find=tasks.readers_of_the_day, piece=500))
daily.add_frequent(tasks.enqueue_notices)
margin.add_panel("course", 36, reactions.rules_panel)
margin.add_panel("path", 36, reactions.rules_panel)
margin.add_panel("assignment", 10, reactions.rules_panel)
