"""What plans of sessions hand in to apps nearer the ground."""

from __future__ import annotations

from django.http import HttpRequest
from django.urls import reverse
from django.utils.http import urlencode

from stepladder.accounts import policy
from stepladder.journal import verbs
from stepladder.library.models import Module
from stepladder.planning import actions, undoing, working
from stepladder.queue.kinds import Kind, add_kind, describe
from stepladder.timetable import kind
from stepladder.timetable.index_links import add_index_link
from stepladder.web import margin
from stepladder.web.frame import join_rung


def plan_verb(request: HttpRequest, module: Module) -> margin.VerbLink | None:
    """On the sheet of a session to teach: have its sessions planned."""
    if module.kind != kind.KIND.name or not policy.may(request.user, "plan sessions"):
        return None
    return margin.VerbLink("Plan its sessions…", f"{reverse('planning:new')}?{urlencode({'module': module.public_id})}")


join_rung(6, "planning")
# A few sessions at a time: each with its people, and what follows from their seats.
add_kind(Kind("plan", "sessions of a plan", actions.take_over_sessions, piece=4))
add_kind(Kind("plan returned", "sessions of a plan, taken back", actions.return_sessions, piece=4))
describe(working.make_plan, working.words)
verbs.register(
    ask_plan="has sessions planned for {people} people, {first} to {last}",
    take_over_plan="a plan of {count} sessions taken over",
)
undoing.register()
margin.add_verb("module", 6, plan_verb)
add_index_link("Plans", "planning:plans", "here_plans")
