"""References: what is kept beside a course, open before, during and after it. They belong to the course, so no release is needed."""

from __future__ import annotations

from django.db import transaction
from django.db.models import Max, Q, QuerySet

from stepladder.accounts import policy
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Course, Reference
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.kinds import kind_named
from stepladder.library.models import OUT_OF_USE, Module

__all__ = ["add_reference", "drop_reference", "references_of", "referred_modules"]


@transaction.atomic
def add_reference(*, course: Course, module: Module, by: Actor) -> None:
    """Keep a module beside the course. Raises CourseError."""
    policy.require(by, "change courses", course)
    policy.require(by, "use modules", module)
    if module.state in OUT_OF_USE or not module.versions.exists() or not kind_named(module.kind).is_played:
        raise CourseError(f"“{module.title}” cannot be opened beside a course.")
    last = course.references.aggregate(last=Max("place"))["last"] or 0
    _, is_new = Reference.objects.get_or_create(course=course, module=module, defaults={"place": last + 1})
    if is_new:
        about = Named("course", course.public_id, course.title)
        record("add_reference", by=by, about=about, data={"module": module.title})


@transaction.atomic
def drop_reference(*, course: Course, module: Module, by: Actor) -> None:
    """No longer beside the course."""
    policy.require(by, "change courses", course)
    if Reference.objects.filter(course=course, module=module).delete()[0]:
        about = Named("course", course.public_id, course.title)
        record("drop_reference", by=by, about=about, data={"module": module.title})


def references_of(course: Course) -> QuerySet[Reference]:
    """What is beside a course and can be opened, in order."""
    return course.references.select_related("module").exclude(module__state__in=OUT_OF_USE)


def referred_modules() -> Q:
    """Of modules: those that are beside a course."""
    return Q(pk__in=Reference.objects.values("module"))
