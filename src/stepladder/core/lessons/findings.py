"""What is wrong with a lesson, before it is released: what keeps it from being, and what is only worth a thought."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from stepladder.core.lessons.outline import Tree, blocks_in, minutes_to_read, nodes_in, text_of
from stepladder.core.questions import media_beside, problems_of, read_question

__all__ = ["LONG_MINUTES", "CheckedSection", "Finding", "Media", "find_trouble"]

# From so many minutes on a section is worth two.
LONG_MINUTES = 6


@dataclass(frozen=True)
class Media:
    """What is known of a version that a lesson plays or shows."""

    title: str
    seconds: float = 0.0
    is_film: bool = False
    has_captions: bool = False


@dataclass(frozen=True)
class CheckedSection:
    key: str
    title: str
    tree: Tree


@dataclass(frozen=True)
class Finding:
    """Something found in a section; *is_grave* keeps the lesson from being released. *block* is the name of where it is."""

    text: str
    section: str
    block: str = ""
    is_grave: bool = True


Look = Callable[[CheckedSection, Mapping[str, Media]], Iterator[Finding]]


def find_trouble(sections: Sequence[CheckedSection], media: Mapping[str, Media], hosts: Sequence[str]) -> list[Finding]:
    """Everything that is found, in the order of the lesson. *media*: by version; *hosts*: from which pages may be shown."""
    found: list[Finding] = []
    for section in sections:
        for look in LOOKS:
            found += look(section, media)
        found += _hosts(section, hosts)
    return found


def _named_blocks(section: CheckedSection) -> Iterator[tuple[str, str, Mapping[str, Any]]]:
    """Every node with attributes: the name of the block that it stands in, its type, its attributes."""
    for block in blocks_in(section.tree):
        for node in nodes_in(block):
            yield block["attrs"]["id"], node["type"], node.get("attrs") or {}


def _is_empty(section: CheckedSection, media: Mapping[str, Media]) -> Iterator[Finding]:
    kinds = {kind for _, kind, _ in _named_blocks(section)} - {"paragraph", "heading", "line", "text", "break"}
    if not section.title.strip():
        yield Finding("a section has no title", section.key)
    if not kinds and not text_of(section.tree):
        yield Finding("nothing is written yet", section.key)


def _pictures(section: CheckedSection, media: Mapping[str, Media]) -> Iterator[Finding]:
    for block, kind, attrs in _named_blocks(section):
        rows: list[Mapping[str, Any]] = []
        if kind in ("picture", "spots"):
            rows = [attrs]
        elif kind == "gallery":
            rows = attrs["pictures"]
            if not rows:
                yield Finding("a gallery has no picture", section.key, block)
        elif kind == "compare":
            rows = [{name: attrs[f"{side}_{name}"] for name in ("file", "shows")} for side in ("before", "after")]
        for row in rows:
            if not row["file"]:
                yield Finding("a picture is not there yet", section.key, block)
            elif not row["shows"].strip() and not row.get("is_decoration"):
                yield Finding("a picture does not say what it shows", section.key, block)
        if kind == "spots" and not attrs["spots"]:
            yield Finding("a picture with spots has none", section.key, block)
        elif kind == "spots" and any(not spot["title"].strip() for spot in attrs["spots"]):
            yield Finding("a spot has no name", section.key, block)


def _media(section: CheckedSection, media: Mapping[str, Media]) -> Iterator[Finding]:
    for block, kind, attrs in _named_blocks(section):
        if kind == "check" and attrs["question"] is not None:
            for name in media_beside(attrs["question"]):
                yield from _beside(name, media, section, block)
        if kind not in ("film", "sound", "document"):
            continue
        version = attrs["version"]
        if not version and not attrs.get("url"):
            yield Finding(f"a {kind} is not there yet", section.key, block)
        elif version and version not in media:
            yield Finding(f"a {kind} is gone from the library", section.key, block)
        elif version and media[version].is_film and not media[version].has_captions:
            yield Finding(f"no captions on “{media[version].title}”", section.key, block)
        elif not version and not attrs.get("captions"):
            yield Finding(
                f"a {kind} from elsewhere: whether it has captions nobody here can see", section.key, block, False
            )


def _beside(name: str, media: Mapping[str, Media], section: CheckedSection, block: str) -> Iterator[Finding]:
    if name not in media:
        yield Finding("a film or sound beside a check is gone from the library", section.key, block)
    elif media[name].is_film and not media[name].has_captions:
        yield Finding(f"no captions on “{media[name].title}”", section.key, block)


def _checks(section: CheckedSection, media: Mapping[str, Media]) -> Iterator[Finding]:
    for block, kind, attrs in _named_blocks(section):
        if kind == "check":
            if attrs["question"] is None:
                yield Finding("a check asks nothing yet", section.key, block)
                continue
            question = read_question(attrs["question"])
            named = f"“{question.text[:60]}” " if question.text.strip() else "a check "
            yield from (Finding(named + problem, section.key, block) for problem in problems_of(question))
            pictures = [question.picture, *(choice.picture for choice in question.choices)]
            if any(picture is not None and not picture.shows.strip() for picture in pictures):
                yield Finding(named + "has a picture that does not say what it shows", section.key, block)


def _heads(section: CheckedSection, media: Mapping[str, Media]) -> Iterator[Finding]:
    has_head = False
    for block in blocks_in(section.tree):
        if block["type"] != "heading":
            continue
        if not text_of(block):
            yield Finding("a heading is empty", section.key, block["attrs"]["id"])
        if block["attrs"]["level"] == 2 and not has_head:
            yield Finding(
                f"“{text_of(block)[:60]}” is a smaller heading under no larger one", section.key, block["attrs"]["id"]
            )
        has_head = has_head or block["attrs"]["level"] == 1


def _others(section: CheckedSection, media: Mapping[str, Media]) -> Iterator[Finding]:
    for block, kind, attrs in _named_blocks(section):
        if kind == "attachment" and not attrs["file"]:
            yield Finding("an attachment is not there yet", section.key, block)
        elif kind == "formula" and not attrs["source"].strip():
            yield Finding("a formula is empty", section.key, block)
        elif kind == "formula" and not attrs["words"].strip():
            yield Finding("a formula does not say how it is read aloud", section.key, block, False)
        elif kind == "fold_out" and not attrs["title"].strip():
            yield Finding("a fold-out has no title to open it by", section.key, block)
        elif kind == "page" and not attrs["url"]:
            yield Finding("a page from elsewhere has no address", section.key, block)
        elif kind == "page" and not attrs["title"].strip():
            yield Finding("a page from elsewhere has no title", section.key, block)
        elif kind == "table" and "head_cell" not in _kinds_in(section, block):
            yield Finding("a table has no heads", section.key, block, False)


def _kinds_in(section: CheckedSection, name: str) -> set[str]:
    return {
        node["type"] for block in blocks_in(section.tree) if block["attrs"]["id"] == name for node in nodes_in(block)
    }


def _length(section: CheckedSection, media: Mapping[str, Media]) -> Iterator[Finding]:
    minutes = minutes_to_read([section.tree], {key: one.seconds for key, one in media.items()})
    if minutes >= LONG_MINUTES:
        yield Finding(f"it takes {minutes} min: two?", section.key, is_grave=False)


def _hosts(section: CheckedSection, hosts: Sequence[str]) -> Iterator[Finding]:
    for block, kind, attrs in _named_blocks(section):
        if kind in ("page", "film", "sound") and attrs["url"] and not allows(attrs["url"], hosts):
            said = f"{host_of(attrs['url'])} is no site from which pages may be shown here"
            # A page that may not be shown is a link; a film is meant to be seen where it stands.
            is_link = kind == "page"
            yield Finding(f"{said}: it is a link" if is_link else said, section.key, block, not is_link)


def host_of(url: str) -> str:
    """The server of an address that was checked."""
    return url.partition("//")[2].partition("/")[0].partition("?")[0].partition("#")[0].rpartition("@")[2].lower()


def allows(url: str, hosts: Sequence[str]) -> bool:
    """Whether an address is of one of the sites; a site stands for what is below it too."""
    host = host_of(url).partition(":")[0]
    return url.startswith("https://") and any(host == one or host.endswith(f".{one}") for one in hosts)


# All of them are asked, so that all that is wrong is seen at once.
LOOKS: list[Look] = [_is_empty, _pictures, _media, _checks, _heads, _others, _length]
