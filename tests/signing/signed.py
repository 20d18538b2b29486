"""Tasks, places and sign-offs for tests, in as few words as can be."""

from itertools import count

from stepladder import clock
from stepladder.courses.models import Course
from stepladder.learning.models import Enrolment
from stepladder.people.models import Person
from stepladder.signing.actions import tasks
from stepladder.signing.actions.sign_offs import Given, sign_off
from stepladder.signing.models import SignOff, Task
from tests import factories as f

_keys = count()
DRAWN = [[[n * 20, 200 + n % 3 * 40] for n in range(12)]]


def a_task(title="Moor her", criteria=("Looks", "Throws", "Makes fast"), needed=None, **more) -> Task:
    """A task that is released; the keys of its criteria are "a", "b" and so on."""
    by = f.an_account("administrator")
    task = tasks.create_task(binder=f.a_binder(), title=title, by=by)
    rows = [{"key": "abcdefgh"[n], "text": text} for n, text in enumerate(criteria)]
    tasks.write_check_list(task=task, raw={"criteria": rows, "needed": needed, **more}, revision=None, by=by)
    tasks.release_task(task=task, by=by)
    return task


def a_place(task: Task | None = None, *, before=(), course="Mooring lines", name="Jun Pellam") -> Enrolment:
    """A learner's place in a course with the task behind other modules."""
    task = task or a_task()
    person = Person.objects.filter(family_name=name.split()[1]).first() or f.a_person(name)
    if person.account is None:
        f.an_account("learner", name=name, person=person)
    made = Course.objects.filter(editions__title=course).first() or f.a_course(course, [*before, task.module])
    f.an_assignment(made)
    return Enrolment.objects.get(person=person, course=made)


def step_of(place):
    return place.edition.steps.select_related("module", "version").get(module__kind="task")


def given(met="abc", **more) -> Given:
    usual = {
        "key": f"key{next(_keys)}",
        "day": clock.today(),
        "met": frozenset(met),
        "minutes": 25,
        "signature": DRAWN,
        "signature_of_learner": "Jun Pellam",
    }
    return Given(**{**usual, **more})


def a_sign_off(place: Enrolment | None = None, by=None, **said) -> SignOff:
    place = place or a_place()
    return sign_off(enrolment=place, step=step_of(place), given=given(**said), by=by or f.an_account("administrator"))


def a_bosun(*trainees, powers=("sign off",), name="Rhea Wolff"):
    """An account of somebody who leads these people by name."""
    bosun = f.a_person(name, position="Bosun")
    account = f.an_account("learner", name=name, person=bosun)
    f.a_lead(person=bosun, field="named", named=list(trainees), powers=powers)
    return account


__all__ = ["DRAWN", "a_bosun", "a_place", "a_sign_off", "a_task", "given", "step_of"]
