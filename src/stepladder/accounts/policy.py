"""Who may open which address, and who may do what to whose objects. One file; every check goes through it.

`VERBS` says, for each verb and role, over which objects: EVERY object, or those that stand in a relation to the account. What
a relation means for a kind of object is handed in by the app that keeps it, as a value for one object and as a condition
for a query, so that buttons and lists agree.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol, TypeVar

from django.core.exceptions import PermissionDenied
from django.db import models
from django.db.models import Q

from stepladder.accounts.models import Role
from stepladder.events import Doer
from stepladder.journal.actions import Machine

__all__ = [
    "ADDRESSES",
    "FOR_SCRIPTS",
    "PUBLIC",
    "VERBS",
    "Answer",
    "Asks",
    "derive_roles",
    "follow_roles",
    "may",
    "relation",
    "relation_by_rows",
    "require",
    "roles_of",
    "sees_every",
    "visible",
]

EVERY, OWN, EDITS, USES = "every", "own", "edits", "uses"
# In the part of the unit chart that a unit administrator has; answering to the account, by a lead with the power named;
# or whose modules it sees; taught by the account; offered to whoever is in its reach.
PART, SEES, ASSIGNS, TEACHES, OFFERED = "part", "sees", "assigns", "teaches", "offered"
# Answering to the account, by a lead with the power "sign off"; a task at which it is named.
SIGNS, NAMED = "signs", "named"
# Requests on which the account has been asked to decide.
ASKED = "asked"
# Paths that the account built for its own people, and the binder that these stand in.
KEEPS = "keeps"
ADMINISTRATOR, AUTHOR, AUDITOR, LEARNER = Role.ADMINISTRATOR, Role.AUTHOR, Role.AUDITOR, Role.LEARNER
UNIT_ADMINISTRATOR, INSTRUCTOR, MANAGER = Role.UNIT_ADMINISTRATOR, Role.INSTRUCTOR, Role.MANAGER
PATH_BUILDER = Role.PATH_BUILDER
EVERYBODY: dict[Role, str | tuple[str, ...]] = dict.fromkeys(Role, EVERY)

VERBS: dict[str, dict[Role, str | tuple[str, ...]]] = {
    # everybody who is signed in
    "sign in": EVERYBODY,
    "search": EVERYBODY,
    # the first page of one's role
    "open the desk": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: EVERY},
    "open the team": {MANAGER: EVERY},
    # who is there
    "see people": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: PART},
    "change people": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: PART},
    "place people in": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: PART},
    "see leads": {ADMINISTRATOR: EVERY},
    "change leads": {ADMINISTRATOR: EVERY},
    "change charts": {ADMINISTRATOR: EVERY},
    "change groups": {ADMINISTRATOR: EVERY},
    "change fields": {ADMINISTRATOR: EVERY},
    "import people": {ADMINISTRATOR: EVERY},
    "change roles": {ADMINISTRATOR: EVERY},
    "invite": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: PART},
    "change the organisation": {ADMINISTRATOR: EVERY},
    "shorten people": {ADMINISTRATOR: EVERY},
    # what is taught
    "see modules": {ADMINISTRATOR: EVERY, AUTHOR: SEES},
    "use modules": {ADMINISTRATOR: EVERY, AUTHOR: USES},
    "change modules": {ADMINISTRATOR: EVERY, AUTHOR: EDITS},
    "keep sources": {ADMINISTRATOR: EVERY},
    "keep topics": {ADMINISTRATOR: EVERY},
    "see skills": {ADMINISTRATOR: EVERY, AUTHOR: EVERY},
    "keep skills": {ADMINISTRATOR: EVERY},
    "see courses": {ADMINISTRATOR: EVERY, AUTHOR: USES},
    "change courses": {ADMINISTRATOR: EVERY, AUTHOR: EDITS},
    "see paths": {ADMINISTRATOR: EVERY, AUTHOR: USES, PATH_BUILDER: KEEPS},
    "build paths": {ADMINISTRATOR: EVERY, AUTHOR: EDITS, PATH_BUILDER: KEEPS},
    # learning
    "learn": dict.fromkeys(Role, OWN),
    # What stands in one's catalogue. Whoever makes courses sees them on the Courses rung.
    "find": dict.fromkeys(Role, OFFERED),
    "decide": dict.fromkeys(Role, ASKED),
    "keep the noticeboard": {ADMINISTRATOR: EVERY},
    "embed paths": {ADMINISTRATOR: EVERY},
    "keep notice rules": {ADMINISTRATOR: EVERY},
    "confirm": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: PART, MANAGER: SEES},
    "mark": {ADMINISTRATOR: EVERY, AUTHOR: EDITS},
    # Of which task of theirs, signing.signers says.
    "sign off": {**dict.fromkeys(Role, NAMED), ADMINISTRATOR: EVERY, MANAGER: (NAMED, SIGNS)},
    # asking people to learn
    "assign": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: PART, MANAGER: ASSIGNS},
    # For whoever says whom something is for or about: an assignment, a binder, a course, an evidence pack.
    "put a reach together": dict.fromkeys(
        (ADMINISTRATOR, UNIT_ADMINISTRATOR, MANAGER, AUTHOR, PATH_BUILDER, AUDITOR), EVERY
    ),
    "waive": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: PART},
    "write to": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: PART, MANAGER: SEES, INSTRUCTOR: TEACHES},
    "read messages": dict.fromkeys(Role, OWN),
    "remind": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: PART, MANAGER: SEES},
    "send notices": {ADMINISTRATOR: EVERY},
    # what the background queue could not do
    "see to the queue": {ADMINISTRATOR: EVERY},
    # sessions
    "open sessions": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: EVERY, INSTRUCTOR: TEACHES},
    "plan sessions": {ADMINISTRATOR: EVERY},
    "fill sessions": {ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: EVERY},
    "take attendance": {ADMINISTRATOR: EVERY, INSTRUCTOR: TEACHES},
    "book seats": {**dict.fromkeys(Role, OWN), ADMINISTRATOR: EVERY, UNIT_ADMINISTRATOR: (OWN, PART)},
    # proving it
    "open records": {ADMINISTRATOR: EVERY, AUDITOR: EVERY, UNIT_ADMINISTRATOR: PART, MANAGER: SEES},
    "keep reports": {ADMINISTRATOR: OWN, AUDITOR: OWN, UNIT_ADMINISTRATOR: OWN, MANAGER: OWN},
    "read reports": dict.fromkeys((ADMINISTRATOR, AUDITOR, UNIT_ADMINISTRATOR, MANAGER), (OWN, SEES)),
    "make evidence packs": {ADMINISTRATOR: EVERY, AUDITOR: EVERY, UNIT_ADMINISTRATOR: EVERY},
    "read evidence packs": {ADMINISTRATOR: EVERY, AUDITOR: EVERY, UNIT_ADMINISTRATOR: OWN},
    "read records": {
        **dict.fromkeys(Role, OWN),
        ADMINISTRATOR: EVERY,
        AUDITOR: EVERY,
        UNIT_ADMINISTRATOR: (OWN, PART),
        MANAGER: (OWN, SEES),
    },
    "change records": {ADMINISTRATOR: EVERY},
    "read the journal": {ADMINISTRATOR: EVERY, AUDITOR: EVERY},
    "take back": {**dict.fromkeys(Role, OWN), ADMINISTRATOR: EVERY},
    # what the installation itself shows
    "open the mail tray": {ADMINISTRATOR: EVERY},
}
# Addresses that need no account at all.
PUBLIC = "public"
# Address (its name) → the verb that opens it. An address without an entry is refused, and a test names it.
ADDRESSES: dict[str, str] = {
    "health": PUBLIC,
    "icon": PUBLIC,
    "accounts:sign_in": PUBLIC,
    "accounts:set_up": PUBLIC,
    "accounts:demo_sign_in": PUBLIC,
    "accounts:forgotten": PUBLIC,
    "accounts:link": PUBLIC,
    "accounts:sign_out": "sign in",
    "accounts:settings": "sign in",
    "accounts:organisation": "change the organisation",
    "home": "sign in",
    "search:results": "search",
    "desk:desk": "open the desk",
    "desk:queue": "see to the queue",
    "desk:run_again": "see to the queue",
    "desk:put_away": "see to the queue",
    "queue:under_way": "sign in",
    "parts": PUBLIC,
    "people:list": "see people",
    "people:find": "assign",
    "people:named": "assign",
    "people:many": "change people",
    "people:fields": "change fields",
    "people:new_field": "change fields",
    "people:field": "change fields",
    "people:values": "change people",
    "people_import:imports": "import people",
    "people_import:import": "import people",
    "people_import:columns": "import people",
    "people_import:sample": "import people",
    "people_import:sheet": "import people",
    "people_import:meaning": "import people",
    "people_import:correct": "import people",
    "people_import:invite": "import people",
    "people_import:apply": "import people",
    "people_import:back": "import people",
    "people_import:file": "import people",
    "keeping:keeping": "shorten people",
    "keeping:effect": "shorten people",
    "keeping:person": "shorten people",
    "people:sign_in": "invite",
    "people:roles": "change roles",
    "people:lock": "change roles",
    "people:position_roles": "change roles",
    "reaches:part": "put a reach together",
    "reaches:sentence": "put a reach together",
    "people:hire": "change people",
    "people:person": "see people",
    "people:move": "change people",
    "people:end_placement": "change people",
    "people:leave_organisation": "change people",
    "people:first_day": "change people",
    "people:edit": "change people",
    "people:absence": "change people",
    "people:end_absence": "change people",
    "charts:charts": "see people",
    "charts:chart": "see people",
    "charts:new_chart": "change charts",
    "charts:rename_chart": "change charts",
    "charts:new_node": "change charts",
    "charts:node": "see people",
    "charts:move_node": "change charts",
    "charts:rename_node": "change charts",
    "charts:site_node": "change charts",
    "charts:close_node": "change charts",
    "charts:lock_node": "change charts",
    "charts:order_nodes": "change charts",
    "leads:leads": "see leads",
    "leads:new_lead": "change leads",
    "leads:end_lead": "change leads",
    "leads:lead_many": "change leads",
    "leads:gaps": "see leads",
    "reaches:groups": "change groups",
    "reaches:new_group": "change groups",
    "reaches:group": "change groups",
    "desk:team": "open the team",
    "library:home": "see modules",
    "library:binder": "see modules",
    "library:new_binder": "change modules",
    "library:edit_binder": "change modules",
    "library:many": "change modules",
    "library:folder": "see modules",
    "library:new_folder": "change modules",
    "library:change_folder": "change modules",
    "library:new_link": "change modules",
    "library:change_link": "change modules",
    "library:keep_picture": "change modules",
    "library:own_picture": "sign in",
    "library:module_picture": "change modules",
    "library:access": "change modules",
    "library:seen_by": "change modules",
    "library:change_kept": "see modules",
    "library:compare": "use modules",
    "library:grid": "change modules",
    "library:save_grid": "change modules",
    "library:grid_file": "change modules",
    "library:bring_table": "change modules",
    "library:table": "change modules",
    "library:settle_table": "change modules",
    "sources:sources": "keep sources",
    "sources:new": "keep sources",
    "sources:source": "keep sources",
    "sources:edit": "keep sources",
    "sources:turn": "keep sources",
    "sources:picture": "keep sources",
    "sources:give_back": "change modules",
    "library:topics": "see modules",
    "library:add_topic": "keep topics",
    "library:change_topic": "keep topics",
    "library:module": "see modules",
    "library:edit_module": "change modules",
    "library:withdraw_module": "change modules",
    "library:release_module": "change modules",
    "library:still": "see modules",
    "library:change_version": "change modules",
    "library:mark": "see modules",
    "library:done_when": "change modules",
    "library:captions": "change modules",
    "library:original": "use modules",
    "library:export": "use modules",
    "library:taken_out": "use modules",
    "library:fetch": "use modules",
    "library:uploads": "change modules",
    "library:upload": "change modules",
    "library:progress": "see modules",
    "library:dismiss": "change modules",
    "library:settle": "change modules",
    "library:room": "change modules",
    "library:sending": "change modules",
    "library:try_again": "change modules",
    "writing:new_lesson": "change modules",
    "writing:write": "change modules",
    "writing:around": "change modules",
    "writing:sections": "change modules",
    "writing:options": "change modules",
    "writing:release": "change modules",
    "writing:earlier": "change modules",
    "writing:ask_links": "change modules",
    "writing:contrast": "change modules",
    "writing:save": "change modules",
    "writing:take": "change modules",
    "writing:present": "change modules",
    "writing:draw": "change modules",
    "writing:keep_file": "change modules",
    "writing:pick": "change modules",
    "writing:read": "change modules",
    "writing:try_draft": "change modules",
    "writing:try_answer": "use modules",
    "writing:file": "sign in",
    "quizzes:banks": "change modules",
    "quizzes:new_bank": "change modules",
    "quizzes:bank": "change modules",
    "quizzes:edit_bank": "change modules",
    "quizzes:change_many": "change modules",
    "quizzes:new_question": "change modules",
    "quizzes:find_media": "change modules",
    "quizzes:preview": "change modules",
    "quizzes:paste": "change modules",
    "quizzes:take_out": "change modules",
    "quizzes:question": "change modules",
    "quizzes:kept_item": "change modules",
    "quizzes:new_quiz": "change modules",
    "quizzes:plan": "change modules",
    "quizzes:sections": "change modules",
    "quizzes:picks": "change modules",
    "quizzes:choose": "change modules",
    "quizzes:conditions": "change modules",
    "quizzes:release": "change modules",
    "quizzes:items": "change modules",
    "quizzes:correct": "change modules",
    "quizzes:allow": "change people",
    "quizzes:begin": "learn",
    "quizzes:hand_in": "learn",
    "quizzes:files": "learn",
    "quizzes:show_file": "sign in",
    "quizzes:marking": "mark",
    "quizzes:mark": "mark",
    "signing:new_task": "change modules",
    "signing:task": "change modules",
    "signing:signers": "change modules",
    "signing:find_signer": "change modules",
    "signing:release": "change modules",
    "signing:ask": "learn",
    "signing:waiting": "sign off",
    "signing:worker": "sign off",
    "signing:sign": "sign off",
    "signing:send": "sign off",
    "signing:signed": "sign in",
    "signing:photo": "sign in",
    "courses:list": "see courses",
    "courses:new": "change courses",
    "courses:programmes": "see courses",
    "courses:new_programme": "change courses",
    "courses:programme": "change courses",
    "courses:remove_programme": "change courses",
    "courses:paths": "see paths",
    "courses:path_builders": "change the organisation",
    "courses:new_path": "build paths",
    "courses:path": "see paths",
    "courses:edit_path": "build paths",
    "courses:pick_course": "build paths",
    "courses:stages": "build paths",
    "courses:release_path": "build paths",
    "courses:withdraw_path": "build paths",
    "courses:course": "see courses",
    "courses:edit": "change courses",
    "courses:replace": "change courses",
    "courses:picture": "change courses",
    "courses:path_picture": "build paths",
    "courses:references": "change courses",
    "courses:change_references": "change courses",
    "courses:compare": "see courses",
    "courses:skills": "see skills",
    "courses:new_skill": "keep skills",
    "courses:skill": "see skills",
    "courses:edit_skill": "keep skills",
    "courses:remove_skill": "keep skills",
    "courses:give_credits": "change courses",
    "courses:course_offer": "change courses",
    "courses:path_offer": "build paths",
    "courses:take_alone": "change modules",
    "courses:topics": "change courses",
    "courses:path_topics": "build paths",
    "courses:terms": "change courses",
    "courses:pick": "change courses",
    "courses:add_steps": "change courses",
    "courses:order_steps": "change courses",
    "courses:edit_step": "change courses",
    "courses:remove_step": "change courses",
    "courses:release": "change courses",
    "courses:drop_plan": "change courses",
    "courses:release_effect": "change courses",
    "courses:withdraw": "change courses",
    "courses:new_edition": "change courses",
    "courses:discard": "change courses",
    "courses:prerequisites": "change courses",
    "desk:up_next": "learn",
    "desk:try_course": "see courses",
    "desk:try_as": "see courses",
    "playing:try_module": "use modules",
    "playing:course": "learn",
    "playing:step": "learn",
    "playing:outcome": "learn",
    "playing:try_again": "learn",
    "playing:report": "learn",
    "playing:media": "learn",
    "playing:to_confirm": "confirm",
    "playing:confirm": "confirm",
    "playing:reference": "learn",
    "playing:notes": "learn",
    "playing:notes_file": "learn",
    "playing:note": "learn",
    "playing:change_note": "learn",
    "playing:write_note": "learn",
    "catalogue:catalogue": "learn",
    "catalogue:follow": "learn",
    "catalogue:thing": "learn",
    "catalogue:still": "learn",
    "catalogue:take_up": "learn",
    "catalogue:give_up": "learn",
    "catalogue:ask": "learn",
    "catalogue:withdraw": "learn",
    "catalogue:keep": "learn",
    "catalogue:rate": "learn",
    "catalogue:pass_on": "learn",
    "catalogue:hour": "learn",
    "catalogue:requests": "decide",
    "catalogue:decide": "decide",
    "catalogue:noticeboard": "keep the noticeboard",
    "messaging:written": "write to",
    "messaging:write": "write to",
    "messaging:message": "write to",
    "messaging:answers": "write to",
    "messaging:thread": "read messages",
    "messaging:answer": "read messages",
    "messaging:put_away": "write to",
    "catalogue:embedded": PUBLIC,
    "catalogue:embed": "embed paths",
    "catalogue:end_embedding": "embed paths",
    "catalogue:programme": "find",
    "telling:rules": "keep notice rules",
    "telling:begin": "keep notice rules",
    "telling:new": "keep notice rules",
    "telling:preview": "keep notice rules",
    "telling:quiet": "keep notice rules",
    "telling:rule": "keep notice rules",
    "telling:end": "keep notice rules",
    "catalogue:post": "keep the noticeboard",
    "catalogue:change_posted": "keep the noticeboard",
    "catalogue:take_down": "keep the noticeboard",
    "assignments:list": "assign",
    "assignments:new": "assign",
    "assignments:new_for": "assign",
    "assignments:effect": "assign",
    "assignments:assignment": "assign",
    "assignments:year": "assign",
    "assignments:change": "assign",
    "assignments:end": "assign",
    "assignments:waive": "waive",
    "assignments:revoke_waiver": "waive",
    "records:board": "open records",
    "records:at": "open records",
    "records:cell": "open records",
    "records:late": "open records",
    "records:standing": "open records",
    "records:remind": "remind",
    "records:journal": "read the journal",
    "records:entry": "read the journal",
    "records:take_back": "take back",
    "records:own": "learn",
    "records:record": "read records",
    "records:why": "read records",
    "records:certificate": "read records",
    "records:certificates": "read records",
    "records:transcript": "read records",
    "records:period": "open records",
    "records:watched": "use modules",
    "records:skill": "open records",
    "records:revoke": "change records",
    "records:correct": "change records",
    "outside:record": "change records",
    "outside:waiting": "change records",
    "outside:files": "change records",
    "outside:sample": "change records",
    "outside:file": "change records",
    "outside:carry_out": "change records",
    "outside:ask": "learn",
    "outside:withdraw": "learn",
    "outside:one": "read records",
    "outside:document": "read records",
    "evidence:packs": "read evidence packs",
    "evidence:new": "make evidence packs",
    "evidence:effect": "make evidence packs",
    "evidence:pack": "read evidence packs",
    "evidence:fetch": "read evidence packs",
    "evidence:again": "read evidence packs",
    "reports:all": "open records",
    "reports:new": "open records",
    "reports:ready": "open records",
    "reports:ready_block": "open records",
    "reports:watched": "open records",
    "reports:skills": "open records",
    "reports:courses": "open records",
    "reports:paths": "open records",
    "reports:ask_file": "open records",
    "reports:file": "open records",
    "reports:fetch": "open records",
    "reports:kept": "read reports",
    "reports:block": "read reports",
    "reports:place": "keep reports",
    "reports:keep": "keep reports",
    "reports:send": "keep reports",
    "reports:drop": "keep reports",
    "records:check_any": PUBLIC,
    "records:check": PUBLIC,
    "planning:plans": "plan sessions",
    "planning:new": "plan sessions",
    "planning:effect": "plan sessions",
    "planning:plan": "plan sessions",
    "planning:change": "plan sessions",
    "timetable:week": "open sessions",
    "timetable:list": "open sessions",
    "timetable:session": "open sessions",
    "timetable:new": "plan sessions",
    "timetable:details": "plan sessions",
    "timetable:seats": "plan sessions",
    "timetable:reschedule": "plan sessions",
    "timetable:cancel": "plan sessions",
    "timetable:rooms": "plan sessions",
    "timetable:room": "plan sessions",
    "timetable:teachers": "plan sessions",
    "timetable:teacher": "plan sessions",
    "timetable:new_module": "change modules",
    "timetable:threshold": "change modules",
    "timetable:book": "fill sessions",
    "timetable:release": "fill sessions",
    "timetable:exchange": "fill sessions",
    "timetable:roster": "take attendance",
    "timetable:keep": "take attendance",
    "timetable:note_rest": "take attendance",
    "timetable:door": "take attendance",
    "timetable:admit": "take attendance",
    "timetable:sign_off": "take attendance",
    "timetable:sign_in_sheet": "take attendance",
    "timetable:own": "learn",
    "timetable:seat": "learn",
    "timetable:take": "learn",
    "timetable:give_back": "learn",
    "timetable:check_in": "learn",
    "timetable:renew_feed": "learn",
    "timetable:feed": PUBLIC,
    "notices:wordings": "send notices",
    "notices:wording": "send notices",
    "notices:preview": "send notices",
    "notices:unsent": "send notices",
    "notices:send_again": "send notices",
    "standins:tray": "open the mail tray",
    "standins:mail": "open the mail tray",
    "standins:meeting": "learn",
    "standins:join": "learn",
    "standins:leave": "learn",
    "standins:hand_over": "take attendance",
    "standins:recording": "learn",
}


# Addresses that scripts ask, not people: who is not signed in is told so (401) instead of being led to a page.
FOR_SCRIPTS = frozenset(
    {
        *("library:uploads", "library:upload", "playing:report", "playing:media", "queue:under_way"),
        "signing:send",
        *("writing:save", "writing:take", "writing:present", "writing:draw", "writing:keep_file"),
    }
)


class Asks(Protocol):
    """Whoever asks: an account, or a machine of the product's own, which may do everything. Anything else may do nothing."""

    @property
    def name(self) -> str: ...


@dataclass(frozen=True)
class Answer:
    """Yes, or a refusal that counts as false and says why."""

    yes: bool
    reason: str = ""

    def __bool__(self) -> bool:
        return self.yes


@dataclass(frozen=True)
class _Relation:
    holds: Callable[[Any, Any], bool]
    rows: Callable[[Any], Q]
    refusal: str


_relations: dict[tuple[type[models.Model], str], _Relation] = {}
YES = Answer(True)


def relation(
    kind: type[models.Model],
    name: str,
    *,
    holds: Callable[[Any, Any], bool],
    rows: Callable[[Any], Q],
    refusal: str,
) -> None:
    """Hand in what a relation means for a kind of object: for one (account, object), and as rows for an account."""
    _relations[kind, name] = _Relation(holds, rows, refusal)


_derived: list[Callable[[Any], frozenset[str]]] = []


def derive_roles(roles: Callable[[Any], frozenset[str]]) -> None:
    """Hand in roles that are not granted but follow from something else: whoever holds a lead is a manager."""
    if roles not in _derived:
        _derived.append(roles)


_following: list[Callable[[frozenset[str]], frozenset[str]]] = []


def follow_roles(roles: Callable[[frozenset[str]], frozenset[str]]) -> None:
    """Hand in roles that come with others, granted or derived: who may build paths is said for roles."""
    if roles not in _following:
        _following.append(roles)


def roles_of(account: Any) -> frozenset[str]:
    """All roles of an account: granted, derived, and those that come with these; asked once for each loaded account."""
    if not hasattr(account, "_all_roles"):
        had: frozenset[str] = account.roles.union(*[roles(account) for roles in _derived])
        account._all_roles = had.union(*[roles(had) for roles in _following])
    found: frozenset[str] = account._all_roles
    return found


def relation_by_rows(kind: type[models.Model], name: str, rows: Callable[[Any], Q], refusal: str) -> None:
    """Hand in a relation that is asked of the database for one object too."""

    def holds(account: Any, obj: models.Model) -> bool:
        return kind._default_manager.filter(rows(account), pk=obj.pk).exists()

    relation(kind, name, holds=holds, rows=rows, refusal=refusal)


def may(account: Any, verb: str, obj: models.Model | None = None) -> Answer:
    """Whether the account may do *verb* (to *obj*, or to anything at all)."""
    if _is_machine(account):
        return YES
    if not getattr(account, "is_active", False):
        return Answer(False, "Sign in to do this.")
    scopes = _scopes(account, verb)
    if not scopes:
        return Answer(False, f"Your role cannot {verb}. Ask an administrator if it should.")
    if EVERY in scopes or obj is None:
        return YES
    refusal = ""
    for scope in scopes:
        rule = _relations[type(obj), scope]
        if rule.holds(account, obj):
            return YES
        refusal = rule.refusal
    return Answer(False, refusal)


def require(account: Any, verb: str, obj: models.Model | None = None) -> None:
    """Raise PermissionDenied with the reason unless the account may."""
    answer = may(account, verb, obj)
    if not answer:
        raise PermissionDenied(answer.reason)


_Rows = TypeVar("_Rows", bound="models.QuerySet[Any]")


def visible(account: Any, verb: str, rows: _Rows) -> _Rows:
    """Those of *rows* to which the account may do *verb*."""
    if _is_machine(account):
        return rows
    scopes = _scopes(account, verb) if getattr(account, "is_active", False) else set()
    if EVERY in scopes:
        return rows
    if not scopes:
        return rows.none()
    wanted = Q()
    for scope in scopes:
        wanted |= _relations[rows.model, scope].rows(account)
    return rows.filter(wanted)


def sees_every(account: Any, verb: str) -> bool:
    """Whether *verb* is allowed to the account over every object there is."""
    if _is_machine(account):
        return True
    return getattr(account, "is_active", False) and EVERY in _scopes(account, verb)


def _scopes(account: Any, verb: str) -> set[str]:
    roles = roles_of(account)
    granted = [scopes for role, scopes in VERBS[verb].items() if role in roles]
    return {scope for scopes in granted for scope in ((scopes,) if isinstance(scopes, str) else scopes)}


def _is_machine(account: Any) -> bool:
    """A part of the product itself: a machine by name, or what carries on an act that was allowed. Nothing else is one."""
    return isinstance(account, Machine | Doer)
