"""Ready reports with a page of their own: what is watched, skills, courses side by side, paths."""

from __future__ import annotations

from django.db.models import Count
from django.http import HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import render
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.courses.models import Skill
from stepladder.library.models import Module
from stepladder.people.permissions import people_seen
from stepladder.records.frames import plain_frame
from stepladder.records.skills import levels_held
from stepladder.reports.files import file_name
from stepladder.reports.pages import DAY_WORDS, of_choices
from stepladder.reports.path_times import DAYS, path_lines
from stepladder.reports.saying import bare, in_file
from stepladder.reports.sentences import Sentence
from stepladder.reports.side_by_side import courses_side_by_side
from stepladder.tabular.responses import table_response
from stepladder.web.tables import page_of

SEEN_KINDS = ("video", "audio", "document")


def watched(request: HttpRequest) -> HttpResponse:
    """The films, sounds and documents that were opened, the most opened first: each leads to what of it is seen."""
    rows = policy.visible(request.user, "use modules", Module.objects.filter(kind__in=SEEN_KINDS))
    rows = rows.annotate(opened=Count("attempts__enrolment__person", distinct=True)).filter(opened__gt=0)
    page = page_of(
        request, rows.order_by("-opened", "title"), [("Title", ""), ("Kind", ""), ("People who opened it", "")]
    )
    lines = [(module, module.kind) for module in page.rows]
    return render(request, "reports/watched.html", {"page": page, "lines": lines, **plain_frame(request)})


def skills(request: HttpRequest) -> HttpResponse:
    """Every skill with how many hold each level today, of those whose records one sees."""
    scope = people_seen(request.user, "open records")
    page = page_of(request, Skill.objects.prefetch_related("levels").order_by("name"), [], per_page=100)
    counts = levels_held(list(page.rows), day=clock.today(), seen=scope)
    lines = [(skill, [(level, counts.get(level.pk, 0)) for level in skill.levels.all()]) for skill in page.rows]
    return render(request, "reports/skills.html", {"page": page, "lines": lines, **plain_frame(request)})


def courses(request: HttpRequest) -> HttpResponseBase:
    """Every course with figures of what is asked, done, passed and learned in it."""
    sentence = Sentence.read(request.GET, Sentence(first="start of last year"))
    heads, lines, errors = courses_side_by_side(sentence, request.user, reverse("reports:new"))
    title = "Courses side by side"
    if request.GET.get("as") in ("csv", "xlsx") and not errors:
        about = [("from", sentence.first), ("to", sentence.last)]
        pieces = iter([[line.in_file for line in lines]])
        return table_response(
            request.GET["as"],
            file_name(title),
            title=title,
            heads=["Course", *heads],
            pieces=pieces,
            about=about,
        )
    context = {
        "title": title,
        "sentence": sentence,
        "heads": heads,
        "page": page_of(request, lines, [], per_page=100),
        "errors": errors,
        "of_choices": of_choices(sentence),
        "day_words": DAY_WORDS,
        "query": sentence.query,
        **plain_frame(request),
    }
    return render(request, "reports/courses.html", context, status=422 if errors else 200)


def paths(request: HttpRequest) -> HttpResponseBase:
    """Every path: who stands where, and how long it takes to the top."""
    lines = path_lines(clock.today(), people_seen(request.user, "open records"))
    title = "Paths: who is where"
    if request.GET.get("as") in ("csv", "xlsx"):
        rows = [
            [line.title, stage, here, late, in_file(DAYS, line.days)]
            for line in lines
            for stage, here, late in line.climb
        ]
        return table_response(
            request.GET["as"],
            file_name(title),
            title=title,
            heads=["Path", "Stage", "People in it", "of them late", "Days to the top, middle"],
            pieces=iter([rows]),
            about=[("as of", str(clock.today()))],
        )
    page = page_of(request, lines, [], per_page=25)
    shown = [(line, bare(DAYS, line.days)) for line in page.rows]
    return render(request, "reports/paths.html", {"page": page, "lines": shown, **plain_frame(request)})
