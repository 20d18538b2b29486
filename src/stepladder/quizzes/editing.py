"""A question as a page's form sends it, and as the form shows it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from random import Random
from typing import Any

from django.http import QueryDict
from django.urls import reverse

from stepladder.core.questions import BadQuestion, Picture, faults_of, read_question
from stepladder.core.questions.variants import draw_values, fill

__all__ = ["KIND_WORDS", "example", "faults_in_words", "picture_row", "question_sent"]

KIND_WORDS = {
    "one": "one answer",
    "several": "several answers",
    "true_false": "true or false",
    "order": "put in order",
    "match": "match",
    "number": "a number",
    "text": "a short text",
    "long": "a long text",
    "file": "a file",
}
_WRITTEN = ("text", "hint", "when_right", "when_wrong")
_OF_KIND: Mapping[str, Sequence[str]] = {
    "number": ("number", "tolerance", "unit", "formula"),
    "long": ("model_answer", "rubric"),
    "file": ("model_answer", "rubric"),
}


def question_sent(sent: QueryDict, pictures: Mapping[str, str] | None = None) -> dict[str, Any]:
    """The question in its JSON form, of its kind's own fields only; *pictures* are those that came as files: field → digest."""
    kind = sent.get("kind", "")
    raw: dict[str, Any] = {"kind": kind}
    for name in (*_WRITTEN, *_OF_KIND.get(kind, ())):
        if value := sent.get(name, "").replace("\r\n", "\n").strip():
            raw[name] = value
    if picture := _picture(sent, "picture", pictures):
        raw["picture"] = picture
    if media := sent.get("media", "").strip():
        raw["media"] = media
    if kind in ("one", "several", "order"):
        raw["choices"] = _choices(sent, kind, pictures)
    elif kind == "match":
        sides = zip(sent.getlist("left"), sent.getlist("right"), strict=False)
        raw["pairs"] = [{"left": a.strip(), "right": b.strip()} for a, b in sides if a.strip() or b.strip()]
    elif kind == "true_false":
        raw["is_true"] = sent.get("is_true") == "yes"
    elif kind == "text":
        raw["accepted"] = [line.strip() for line in sent.get("accepted", "").split("\n") if line.strip()]
    ranges = zip(*(sent.getlist(f"drawn_{name}") for name in ("name", "low", "high", "step")), strict=False)
    if drawn := [row for row in ranges if any(cell.strip() for cell in row)]:
        raw["drawn"] = [
            dict(zip(("name", "low", "high", "step"), (cell.strip() for cell in row), strict=True)) for row in drawn
        ]
    if sent.get("all_or_nothing") and kind in ("several", "order", "match"):
        raw["all_or_nothing"] = True
    if kind in ("one", "several") and not sent.get("shuffle"):
        raw["shuffle"] = False
    return raw


def _choices(sent: QueryDict, kind: str, pictures: Mapping[str, str] | None) -> list[dict[str, Any]]:
    texts, said = sent.getlist("choice"), sent.getlist("choice_said")
    right = set(sent.getlist("choice_right"))
    found = []
    for at, text in enumerate(texts):
        picture = _picture(sent, f"choice_picture_{at}", pictures)
        media = sent.get(f"choice_media_{at}", "").strip()
        if not text.strip() and picture is None and not media:
            continue
        choice: dict[str, Any] = {"text": text.strip()}
        if kind != "order":
            choice["right"] = str(at) in right
            if at < len(said) and said[at].strip():
                choice["feedback"] = said[at].strip()
        if picture:
            choice["picture"] = picture
        if media:
            choice["media"] = media
        found.append(choice)
    return found


def _picture(sent: QueryDict, name: str, pictures: Mapping[str, str] | None) -> dict[str, str] | None:
    """The picture that came as a file, else the one that was there and is not taken off."""
    digest = (pictures or {}).get(name) or ("" if sent.get(f"{name}_off") else sent.get(f"{name}_kept", ""))
    return {"file": digest, "shows": sent.get(f"{name}_shows", "").strip()} if digest else None


def picture_row(picture: Picture | None) -> dict[str, str] | None:
    """A picture's address, and what it shows."""
    if picture is None:
        return None
    return {"url": reverse("library:own_picture", args=[picture.file]), "shows": picture.shows, "file": picture.file}


def faults_in_words(raw: Mapping[str, Any]) -> list[str]:
    """What keeps a question from being asked, each as the end of "This question …"."""
    try:
        return faults_of(raw)
    except BadQuestion as refusal:
        return [f"cannot be read: {refusal}"]


def example(raw: Mapping[str, Any]) -> dict[str, Any]:
    """The question with numbers drawn for an example, always the same ones. Raises BadFormula, BadQuestion."""
    ranges = read_question(raw).drawn
    return fill(raw, draw_values(ranges, raw, Random(1)) if ranges else {})  # noqa: S311 - an example
