"""What the search knows of modules."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from django.urls import reverse

from stepladder import events
from stepladder.library.kinds import kind_named
from stepladder.library.models import OUT_OF_USE, Module, ModuleVersion, Passage
from stepladder.library.queries import newest_of, newest_versions
from stepladder.search import index

__all__ = ["LONGEST", "index_modules", "words_inside"]


# So many modules are read at a time: a document may be a book.
PIECE = 100
# Of the words inside one module, so many letters: more than a book has.
LONGEST = 1_500_000


def index_modules(keys: tuple[int, ...] | None) -> Iterator[index.Document]:
    """The documents of these modules, or of all; withdrawn ones drop out."""
    shown = Module.objects.exclude(state__in=OUT_OF_USE).order_by("pk")
    wanted = list((shown if keys is None else shown.filter(pk__in=keys)).values_list("pk", flat=True))
    for start in range(0, len(wanted), PIECE):
        piece = list(newest_versions(Module.objects.filter(pk__in=wanted[start : start + PIECE])))
        words = words_inside(version for module in piece for version in newest_of(module))
        yield from (_document(module, words) for module in piece)


def _document(module: Module, words: dict[int, list[str]]) -> index.Document:
    kind, newest = kind_named(module.kind), newest_of(module)
    inside = [text for version in newest for text in (kind.words(version), *words.get(version.pk, []))]
    return index.Document(
        "module",
        module.pk,
        module.title,
        " ".join([module.description, *(version.file_name for version in newest)]),
        reverse("library:module", args=[module.public_id]),
        module.kind,
        tags=" ".join([*(tag.name for tag in module.tags.all()), *_topic_words(module)]),
        text=" ".join(inside)[:LONGEST],
    )


def _topic_words(module: Module) -> list[str]:
    """What a topic is called, and the one above it: both find it."""
    return [name for topic in module.topics.all() for name in (topic.parent.name if topic.parent else "", topic.name)]


def words_inside(versions: Iterable[ModuleVersion]) -> dict[int, list[str]]:
    """The words of versions by their places, in one query for a piece."""
    found: dict[int, list[str]] = {}
    passages = Passage.objects.filter(version__in=list(versions)).order_by("version", "place", "pk")
    for version, title, text in passages.values_list("version", "title", "text"):
        found.setdefault(version, []).append(f"{title} {text}")
    return found


def on_topic_change(event: events.TopicChanged, act: events.Act) -> None:
    """What carries topics that are called otherwise is found by their new names."""
    keys = Module.objects.filter(topics__in=event.topics).values_list("pk", flat=True).distinct()
    index.refresh("module", tuple(keys))


def on_change(event: events.ModuleProcessed, act: events.Act) -> None:
    """What the search knows is brought up to date."""
    index.refresh("module", (event.module,))
