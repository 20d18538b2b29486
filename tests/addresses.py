"""Every address of the application, with something real for each of its parameters."""

from datetime import timedelta
from uuid import uuid4

from django.db import transaction
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver

from stepladder import clock
from stepladder.catalogue.actions.entering import ask
from stepladder.catalogue.actions.passing import post
from stepladder.core.admission import Admission
from stepladder.courses.models import Path
from stepladder.courses.offers import set_offer
from stepladder.courses.paths import create_path
from stepladder.courses.programmes import ProgrammeSaid, save_programme
from stepladder.courses.skills import add_skill
from stepladder.learning.actions import begin_step
from stepladder.learning.models import Enrolment
from stepladder.library.bringing import keep_table
from stepladder.library.folders import make_folder
from stepladder.library.models import StoredFile
from stepladder.messaging.actions import write
from stepladder.people.actions import add_field, record_leave
from stepladder.people.models import Placement
from stepladder.people_import.actions import receive_import
from stepladder.playing.notes import write_note
from stepladder.quizzes.models import AnswerFile, Bank, KeptItem, Question
from stepladder.sources.actions import create_source
from stepladder.telling.actions import RuleSaid, add_rule
from stepladder.timetable.models import Session
from stepladder.topics.actions import add_topic
from stepladder.writing.models import Section
from tests import factories as f
from tests.quizzes import asked
from tests.quizzes.asked import a_paper
from tests.signing.signed import a_sign_off
from tests.writing.drafts import a_lesson, a_released


def addresses(resolver=None, space=""):
    for entry in (resolver or get_resolver()).url_patterns:
        if isinstance(entry, URLResolver):
            yield from addresses(entry, f"{entry.namespace}:" if entry.namespace else space)
        elif isinstance(entry, URLPattern):
            yield f"{space}{entry.name}", entry


class Visitor:
    """Somebody's browser, signed in once. What it asks for is undone: the next address finds the world as it was."""

    def __init__(self, account, *, raises=True):
        self._client = Client(raise_request_exception=raises)
        if account:
            self._client.force_login(account)
        self._signed_in = self._client.cookies.output().replace("Set-Cookie: ", "")

    def status(self, ask):
        """The status of what *ask* gets with the browser as its client."""
        self._client.cookies.clear()
        self._client.cookies.load(self._signed_in)
        with transaction.atomic():
            status = ask(self._client).status_code
            transaction.set_rollback(True)
        return status


def a_world():
    """One of each thing that an address may be about."""
    owner = f.an_account("administrator")
    person = f.a_person("Jun Pellam")
    course = f.a_course("Fire on board")
    assignment = f.an_assignment(course)
    enrolment = Enrolment.objects.get(person=person)
    return {
        "person": person.public_id,
        "placement": Placement.objects.get(person=person).public_id,
        "course": course.public_id,
        "module": course.editions.get().steps.get().module.public_id,
        "binder": course.binder.public_id,
        "assignment": assignment.public_id,
        "enrolment": enrolment.public_id,
        "unit": f.a_unit(),
        "position": f.a_position("Bosun").public_id,
        "owner": owner,
        "lead": f.a_lead("Bosun").public_id,
        "group": f.a_group("First aiders", person).public_id,
        "import": receive_import(file_name="people.csv", body=b"Number,Name\n1,Jun\n", by=owner).public_id,
        "field": add_field(name="Licence", kind="text", choices=[], by=f.BY).public_id,
        "path": create_path(title="On deck", binder=course.binder, by=f.BY).public_id,
        "session": f.a_session(f"{clock.today() + timedelta(days=20)}").public_id,
        "taught": Session.objects.latest("pk").module.public_id,
        "live": f.a_session(f"{clock.today() + timedelta(days=30)}", live_address="").public_id,
        "attempt": begin_step(enrolment=enrolment, step=course.editions.get().steps.get(), by=f.BY).public_id,
        "folder": make_folder(binder=course.binder, parent=None, name="Drills", by=f.BY).public_id,
        "note": write_note(version=f.a_module("Noted").versions.get(), place=1, text="Mind.", by=owner).public_id,
        "leave": record_leave(person=person, from_day=clock.today(), to_day=None, by=f.BY).public_id,
        "topic": add_topic(name="Safety", by=f.BY).public_id,
        "table": keep_table(file_name="edited.csv", body=b"Id,Title\n", by=owner).public_id,
        "lesson": a_lesson("How a fire grows").module.public_id,
        "section": Section.objects.latest("pk").public_id,
        "version": a_released("How smoke goes").public_id,
        **_of_quizzes(),
        **_of_signing(),
        **_of_catalogue(course),
        **_of_messages(),
        "programme": _a_programme(course.binder),
        "notice_rule": add_rule(of=course, said=RuleSaid("due", -7, ["person"]), by=f.BY).public_id,
        "source": create_source(name="Papers", kind="folder", place="papers", binder=course.binder, by=owner).public_id,
    }


def _of_catalogue(course):
    """A request that waits for the administrator, something on the noticeboard, a skill, and everybody finding the course."""
    offer = {"wish_days": None, "level": "", "language": "", "contact": None, "by": f.BY}
    set_offer(of=course, admission=Admission.OPEN, found_by=None, **offer)
    wanted, today = f.a_course("Muster warden"), clock.today()
    set_offer(of=wanted, admission=Admission.ON_APPROVAL, found_by=None, **offer)
    return {
        "request": ask(person=f.a_person("Mo Reed"), thing=wanted, words="", by=f.BY).public_id,
        "posted": post(thing=course, words="Look.", reach=None, from_day=today, to_day=today, by=f.BY).public_id,
        "skill": add_skill(name="Deck work", by=f.BY).public_id,
    }


def _a_programme(binder):
    path = create_path(title="Aboard", binder=binder, by=f.BY)
    Path.objects.filter(pk=path.pk).update(state="released")
    path.refresh_from_db()
    said = ProgrammeSaid("A first year", "", [path], None, is_shown=True)
    return save_programme(programme=None, binder=binder, said=said, by=f.BY).public_id


def _of_messages():
    thread = write(
        people=[f.a_person("Pia Holm")], subject="Drill", text="Come.", about="", by=f.an_account("administrator")
    ).threads.get()
    return {"message": thread.message.public_id, "thread": thread.public_id}


def _of_quizzes():
    paper = a_paper(asked.a_released(title="Galley quiz"), "Kit Moss", "Galley quiz")
    file = AnswerFile.objects.create(
        answer=paper.answers.first(),
        stored=StoredFile.objects.create(sha256="0" * 64, size=1, content_type="x"),
        name="x",
    )
    return {
        "bank": Bank.objects.latest("pk").public_id,
        "question": Question.objects.latest("pk").public_id,
        "quiz": paper.attempt.module.public_id,
        "paper": paper.public_id,
        "sat": paper.attempt.public_id,
        "wording": paper.answers.first().wording.public_id,
        "answer_file": file.public_id,
        "kept_item": KeptItem.objects.create(
            bank=Bank.objects.latest("pk"), title="x", unknown="x", body="x"
        ).public_id,
    }


def _of_signing():
    made = a_sign_off()
    return {
        "task": made.attempt.module.public_id,
        "task_place": made.attempt.enrolment.public_id,
        "task_attempt": made.attempt.public_id,
        "sign_off": made.public_id,
    }


ENTRIES = ("records:entry", "records:take_back")


# Which thing an address of quizzes is about; the others are about a quiz.
OF_QUIZZES = {
    "bank": ("bank", "edit_bank", "change_many", "new_question", "preview", "paste", "take_out"),
    "question": ("question",),
    "binder": ("new_quiz",),
    "paper": ("mark",),
    "person": ("allow",),
    "answer_file": ("show_file",),
    "kept_item": ("kept_item",),
}


# What stands for each parameter of an address, by the app or address that asks for it.
def arguments(name, pattern, world):
    app = name.split(":")[0]
    public = {
        "people": world["person"],
        "people_import": world["import"],
        "courses": world["course"],
        "library": world["module"],
        "playing": world["enrolment"],
        "assignments": world["assignment"],
        "records": "nothing",
        "desk": world["course"],
        "standins": world["live"],
        "timetable": world["session"],
        "writing": world["lesson"],
    }.get(app, "nothing")
    if (
        name
        in (
            "library:binder",
            "library:edit_binder",
            "timetable:new_module",
            "library:progress",
            "library:new_link",
            "library:access",
            "writing:new_lesson",
        )
        or "folder" in name
    ):
        public = world["binder"]
    if name in ("playing:note", "playing:change_note"):
        public = world["note"]
    if name in (
        "courses:path",
        "courses:edit_path",
        "courses:pick_course",
        "courses:stages",
        "courses:release_path",
        "courses:withdraw_path",
        "courses:path_topics",
        "courses:path_picture",
    ):
        public = world["path"]
    if name == "courses:path_offer":
        public = world["path"]
    if name == "courses:take_alone":
        public = world["module"]
    if name in ("courses:skill", "courses:edit_skill", "courses:remove_skill"):
        public = world["skill"]
    if name in ("courses:programme", "courses:remove_programme"):
        public = world["programme"]
    if app == "catalogue":
        public = {
            "catalogue:programme": world["programme"],
            "catalogue:embed": world["path"],
            "catalogue:end_embedding": world["path"],
            "catalogue:decide": world["request"],
            "catalogue:withdraw": world["request"],
            "catalogue:change_posted": world["posted"],
            "catalogue:take_down": world["posted"],
        }.get(name, world["course"])
    if app == "messaging":
        public = world["message" if name == "messaging:message" else "thread"]
    if app == "telling":
        public = world["notice_rule"]
    if name in ("library:table", "library:settle_table"):
        public = world["table"]
    if name == "library:change_topic":
        public = world["topic"]
    if app == "sources":
        public = world["module"] if name == "sources:give_back" else world["source"]
    if name == "courses:replace":
        public = world["module"]
    if name == "standins:mail":
        public = "nothing"
    if name == "people:field":
        public = world["field"]
    if name == "people:position_roles":
        public = world["position"]
    if name == "timetable:threshold":
        public = world["taught"]
    if name in ("writing:save", "writing:take", "writing:earlier"):
        public = world["section"]
    if app == "quizzes":
        public = next(
            (world[key] for key, names in OF_QUIZZES.items() if name.partition(":")[2] in names), world["quiz"]
        )
    if app == "signing":
        public = world["sign_off"] if name in ("signing:signed", "signing:photo") else world["task"]
        public = world["binder"] if name == "signing:new_task" else public
    if name == "reaches:group":
        public = world["group"]
    values = {
        "public_id": public,
        "person": world["person"],
        "course": world["course"],
        "placement": world["placement"],
        "module": world["task"] if app == "signing" else world["module"],
        "enrolment": world["task_place"],
        "step": 1,
        "number": 1 if app in ("library", "quizzes") or name in ENTRIES else "ABCD",
        "token": "x",
        "key": uuid4() if app == "desk" else "x",
        "attempt": world[{"quizzes": "sat", "signing": "task_attempt"}.get(app, "attempt")],
        "wording": world["wording"],
        "chart": world["unit"].chart_id,
        "node": world["unit"].public_id,
        "lead": world["lead"],
        "skill": world["skill"],
        "leave": world["leave"],
        "folder": world["folder"],
        "unit": "everyone",
        "verb": "move",
        "name": "text" if app == "quizzes" else "other",
        "kind": "assigned" if app == "notices" else "course",
        "detail": "title",
        "digest": "0" * 64,
        "version": world["version"],
    }
    return {key: values[key] for key in pattern.pattern.converters}
