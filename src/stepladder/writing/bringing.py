"""A text, slides, Markdown or a web page becomes a lesson: its words and pictures as sections, as a draft."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import IO, Any

from django.db import transaction

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.library import own_pictures, storage
from stepladder.library.errors import Unusable
from stepladder.library.kinds import Material, detect_type
from stepladder.library.models import Binder
from stepladder.library.parsing import office, text, web_text
from stepladder.library.parsing.bounded import work_out_bounded
from stepladder.library.parsing.copies import read_copy
from stepladder.library.parsing.material import OFFICE_PARTS, TEXT, WorkOut
from stepladder.writing import actions
from stepladder.writing.from_html import tree_of
from stepladder.writing.models import Lesson

__all__ = ["MOST_BYTES", "TAKEN", "Brought", "create_from", "read_file"]

MOST_BYTES = 50 * 1024**2
TAKEN = (".docx", ".pptx", ".md", ".markdown", ".html", ".htm", ".txt")
_BY_TYPE: dict[str, WorkOut] = {
    OFFICE_PARTS["word/"]: partial(office.work_out_words, is_copied=True),
    OFFICE_PARTS["ppt/"]: partial(office.work_out_slides, is_copied=True),
    "text/html": web_text.work_out_html,
}
_BY_ENDING: dict[str, WorkOut] = {
    ".md": text.work_out_markdown,
    ".markdown": text.work_out_markdown,
    ".html": web_text.work_out_html,
    ".htm": web_text.work_out_html,
    ".txt": text.work_out_text,
}


@dataclass(frozen=True)
class Brought:
    """What a file says: its title, its sections (title, tree), and how many pictures of it could not be brought along."""

    title: str
    sections: list[tuple[str, dict[str, Any]]]
    left_out: int


def read_file(sent: IO[bytes], name: str, size: int) -> Brought:
    """The file's words and pictures, read in a process of its own; its pictures are kept. In no transaction. Raises Unusable."""
    if not 0 < size <= MOST_BYTES:
        raise Unusable(
            f"“{name}” is empty, or larger than {MOST_BYTES // 1024**2} MB. Split it, or make its pictures smaller."
        )
    folder, made = storage.workplace(), storage.workplace()
    try:
        given = storage.write_down(sent, folder)
        material = Material(given, name, detect_type(given))
        worked = work_out_bounded(_parser(material), material, made)
        pictures = {one.name: _taken(one) for one in sorted(made.glob("picture-*.webp"))}
        pages = read_copy(made)
    finally:
        storage.drop_workplace(folder)
        storage.drop_workplace(made)
    sections = [(page.title, tree_of(page.html, page.title, pictures)) for page in pages]
    return Brought(worked.title or material.title, sections, int(worked.data.get("left_out", 0)))


def _taken(path: Path) -> dict[str, Any]:
    digest, width, height = own_pictures.take_made(path)
    return {"file": digest, "width": width, "height": height}


def _parser(material: Material) -> WorkOut:
    found = _BY_TYPE.get(material.content_type)
    if found is None and material.content_type == TEXT:
        found = _BY_ENDING.get(material.extension)
    if found is None and material.extension in (".docx", ".pptx"):
        raise Unusable(f"“{material.name}” is cut off or damaged, or in an old form. Save it again, and bring that.")
    if found is None:
        raise Unusable(
            f"“{material.name}” is nothing that a lesson is made of. Bring a text (.docx), slides (.pptx), Markdown (.md) or a web "
            "page (.html); other files become modules of their own in the library."
        )
    return found


@transaction.atomic
def create_from(*, binder: Binder, brought: Brought, title: str, description: str, by: Account) -> Lesson:
    """A lesson of what a file says, as a draft. Raises Unwritable."""
    policy.require(by, "change modules", binder)
    lesson = actions.create_lesson(
        binder=binder, title=title or brought.title[:200] or "A lesson", description=description, by=by
    )
    for number, (head, tree) in enumerate(brought.sections[: actions.MOST_SECTIONS]):
        section = lesson.sections.get() if not number else actions.add_section(lesson=lesson, by=by)
        head = head or f"Section {number + 1}"
        actions.save_section(section=section, revision=None, title=head, tree=tree, by=by)
    lesson.sections.update(taken_by=None, taken_at=None)
    return lesson
