"""Lessons for tests: what is written in them, in as few words as can be."""

from stepladder.writing import actions
from stepladder.writing.models import Lesson, Section
from stepladder.writing.releasing import release_lesson
from tests import factories as f


def text(words, *marks):
    return {"type": "text", "text": words, **({"marks": list(marks)} if marks else {})}


def paragraph(*inside, name=""):
    content = [text(one) if isinstance(one, str) else one for one in inside]
    return {"type": "paragraph", "attrs": {"id": name}, **({"content": content} if content else {})}


def check(name="k", kind="true_false", asked="Is it so?", **said):
    return {"type": "check", "attrs": {"id": name, "question": {"kind": kind, "text": asked, **said}}}


def tree(*blocks):
    return {"type": "doc", "content": list(blocks) or [paragraph()]}


def a_lesson(title="How a fire grows", *sections, binder=None, by=None) -> Lesson:
    """A draft: each section is a title and its blocks; without any, one with a paragraph."""
    by = by or f.an_account("administrator")
    lesson = actions.create_lesson(binder=binder or f.a_binder(), title=title, by=by)
    for number, (head, blocks) in enumerate(sections or [("One", [paragraph("Words.", name="a")])]):
        section = lesson.sections.get() if not number else actions.add_section(lesson=lesson, by=by)
        actions.save_section(section=section, revision=None, title=head, tree=tree(*blocks), by=by)
    Section.objects.filter(lesson=lesson).update(taken_by=None, taken_at=None)
    return lesson


def a_released(title="How a fire grows", *sections, **options):
    """A version of a lesson."""
    by = f.an_account("administrator")
    lesson = a_lesson(title, *sections, by=by)
    if options:
        actions.set_options(lesson=lesson, options=options, by=by)
    return release_lesson(lesson=lesson, by=by)


THREE = [
    ("First", [paragraph("A fire needs air.", name="a1"), paragraph("And heat.", name="a2")]),
    ("Second", [paragraph("Which door?", name="b1"), check("k", is_true=False, when_wrong="Think again.")]),
    ("Third", [paragraph("Smoke goes first.", name="c1")]),
]
