"""What courses say about modules: which of them use one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date

from django.db.models import Count, Q
from django.http import HttpRequest

from stepladder.accounts import policy
from stepladder.courses.models import Course, Edition, Reference, Step
from stepladder.events import EffectLine, ModuleWithdrawalProposed
from stepladder.library.models import Module
from stepladder.web.margin import Panel

__all__ = ["courses_that_use", "used_in_notes", "used_in_panel", "used_modules"]


def courses_that_use(proposal: ModuleWithdrawalProposed) -> list[EffectLine]:
    """Released courses that have the module as a step refuse its withdrawal."""
    titles = (
        Course.objects.filter(editions__state=Edition.State.RELEASED, editions__steps__module=proposal.module)
        .order_by("title")
        .distinct()
        .values_list("title", flat=True)
    )
    return [EffectLine(title, refuses=True) for title in titles]


def used_modules() -> Q:
    """Of modules: those that are a step of a course's draft or of what is released."""
    return Q(pk__in=Step.objects.exclude(edition__state=Edition.State.SUPERSEDED).values("module"))


def used_in_panel(request: HttpRequest, module: Module) -> Panel:
    """Which courses a module is a step of, and by which version; and which it is beside."""
    visible = policy.visible(request.user, "see courses", Course.objects.all())
    steps = Step.objects.filter(module=module, edition__course__in=visible)
    shown = steps.exclude(edition__state=Edition.State.SUPERSEDED).select_related("edition__course", "version")
    beside = Reference.objects.filter(module=module, course__in=visible).select_related("course")
    return Panel("Who uses it", "courses/used_in.html", {"steps": list(shown), "beside": list(beside)})


def used_in_notes(keys: Sequence[int], _: date) -> Mapping[int, str]:
    """Module → "in 3 courses"."""
    rows = (
        Step.objects.filter(module__in=list(keys), edition__state=Edition.State.RELEASED)
        .values_list("module")
        .annotate(n=Count("edition__course", distinct=True))
    )
    return {key: f"in {n} course{'s' if n != 1 else ''}" for key, n in rows}
