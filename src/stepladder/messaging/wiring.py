"""What messaging hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.accounts.switches import add_switch
from stepladder.journal import sealing, verbs
from stepladder.messaging import actions, models, notices, permissions, reactions, switching
from stepladder.notices.kinds import add_notice_kind
from stepladder.queue.kinds import Kind, add_kind
from stepladder.web import margin
from stepladder.web.frame import add_foot_page

sealing.watch(models.Message, models.Answer)
add_switch(switching.MESSAGES)
add_foot_page(15, "Messages", "messaging:written", verb="write to")
verbs.register(write="wrote “{subject}” to {count} people", answer="answered")
permissions.register()
for kind in (notices.MESSAGE, notices.ANSWER):
    add_notice_kind(kind)
add_kind(Kind("message", "a message to people", actions.begin_threads))
margin.add_verb("people", 15, reactions.to_people)
margin.add_verb("person", 20, reactions.to_person)
margin.add_verb("course", 30, reactions.to_course)
margin.add_verb("session", 10, reactions.to_session)
