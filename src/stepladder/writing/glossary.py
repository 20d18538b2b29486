"""The glossary of a course: the key terms of its lessons with what they mean, on the page of its learner."""

from __future__ import annotations

from collections.abc import Sequence

from django.http import HttpRequest

from stepladder.courses.models import Edition
from stepladder.learning.models import Enrolment
from stepladder.library.models import ModuleVersion
from stepladder.web.margin import Panel

__all__ = ["glossary_of", "glossary_panel"]


def glossary_of(edition: Edition) -> list[tuple[str, str]]:
    """(word, meaning) in the order of the alphabet; of a word that two lessons explain, as the first step has it. One query."""
    versions = ModuleVersion.objects.filter(steps__edition=edition, module__kind="lesson").order_by("steps__place")
    found: dict[str, tuple[str, str]] = {}
    for data in versions.values_list("data", flat=True):
        terms: Sequence[Sequence[str]] = data.get("terms", ())
        for word, meaning in terms:
            found.setdefault(word.casefold(), (word, meaning))
    return [found[key] for key in sorted(found)]


def glossary_panel(request: HttpRequest, enrolment: Enrolment) -> Panel | None:
    """What the words of a course mean; nothing where no lesson of it explains any."""
    terms = glossary_of(enrolment.edition)
    return Panel("What the words mean", "writing/glossary.html", {"terms": terms}) if terms else None
