"""What the catalogue hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily, events
from stepladder.accounts.switches import add_switch
from stepladder.catalogue import indexing, models, notices, permissions, reactions, switching, tasks, teams
from stepladder.journal import sealing, verbs
from stepladder.notices.kinds import add_notice_kind
from stepladder.search import index
from stepladder.web import margin
from stepladder.web.frame import add_own_page

sealing.watch(models.Request, models.Decider, models.Posted, models.Embedded)
for switch in (switching.RATINGS, switching.PASSING, switching.OTHERS):
    add_switch(switch)
add_own_page(15, "Catalogue", "catalogue:catalogue")
verbs.register(
    rate="gave it {points} of 5",
    passed_on="passed it on to {count} people",
    embed="may be shown on other sites",
    end_embedding="is shown on no other site any more",
    post="put it on the noticeboard from {from} to {to}",
    take_down="took it off the noticeboard",
    ask_to_get_in="asked for “{title}”",
    ask_further="asked {count} more to decide on “{title}”",
    decide="decided on “{title}”: {outcome}{own}",
    withdraw_request="no longer asks for “{title}”",
)
permissions.register()
for notice in (notices.REQUEST, notices.DECIDED, notices.PASSED_ON):
    add_notice_kind(notice)
index.add_source(indexing.COURSE, indexing.index_courses, verb="find", visible=permissions.found_courses)
index.add_source(indexing.PATH, indexing.index_paths, verb="find", visible=permissions.found_paths)
events.listen(events.CourseChanged, indexing.on_course, phase=events.Phase.DERIVE)
events.listen(events.PathReleased, indexing.on_path, phase=events.Phase.DERIVE)
events.listen(events.TopicReplaced, reactions.follow_instead, phase=events.Phase.DERIVE)
events.listen(events.TopicChanged, indexing.on_topic_change, phase=events.Phase.DERIVE)
daily.add("requests", tasks.keep_requests_asked)
margin.add_section("team", 10, teams.requests_section)
margin.add_panel("course", 34, reactions.said_panel)
margin.add_panel("path", 34, reactions.said_panel)
margin.add_verb("courses", 10, reactions.noticeboard_verb)
margin.add_verb("course", 20, reactions.post_verb)
margin.add_verb("path", 20, reactions.post_verb)
margin.add_verb("path", 25, reactions.embed_verb)
