"""Finding modules: a sentence of filters, and words that may stand in their titles or anywhere inside. Rule: 14."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from django.db.models import Exists, OuterRef, Q, QuerySet

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.finding import fold, place_of, snippet, words_of
from stepladder.core.lengths import LENGTHS
from stepladder.journal.models import Entry
from stepladder.library.details import LANGUAGES, RIGHTS
from stepladder.library.kinds import kind_named, kinds
from stepladder.library.models import (
    OUT_OF_USE,
    Binder,
    Folder,
    Module,
    ModuleMark,
    ModuleState,
    ModuleVersion,
    Passage,
)
from stepladder.library.opening import address_at
from stepladder.library.permissions import in_edited_binder
from stepladder.library.queries import ModuleRow, module_rows, newest_of, newest_versions
from stepladder.library.use import is_used
from stepladder.search import index
from stepladder.topics.models import Topic
from stepladder.web.tables import PER_PAGE, LazyRows

__all__ = [
    "AGES",
    "WHOSE",
    "Condition",
    "Filters",
    "FoundModules",
    "Hit",
    "Inside",
    "add_condition",
    "conditions",
    "find",
    "first_rows",
    "hits_inside",
    "modules_of",
]

WHOSE = {
    "": "everything",
    "touched": "what I touched",
    "marked": "what I marked",
    "others": "what others let me use",
    "unused": "what nobody uses",
}
# How long ago the newest version was made, or one's own last act on it, in days at most.
AGES = {"": "at any time", "7": "in the last week", "31": "in the last month", "366": "in the last year"}


@dataclass(frozen=True)
class Condition:
    """What apps nearer the roof narrow modules by: its name in an address, the words for "not asked", its choices (value → words) for
    an account, and the condition on modules that a value stands for.
    """

    name: str
    anything: str
    choices: Callable[[Any], dict[str, str]]
    rows: Callable[[str], Q]


_conditions: dict[str, Condition] = {}


def add_condition(name: str, anything: str, choices: Callable[[Any], dict[str, str]], rows: Callable[[str], Q]) -> None:
    """Hand in a condition."""
    _conditions[name] = Condition(name, anything, choices, rows)


def conditions() -> list[Condition]:
    """Those that were handed in."""
    return list(_conditions.values())


@dataclass(frozen=True)
class Filters:
    """What is asked of modules; what is empty is not asked."""

    text: str = ""
    binder: Binder | None = None
    # Where one looks, None for the top of the binder, as long as nothing is asked; *everywhere*: in all folders anyway.
    folder: Folder | None = None
    everywhere: bool = False
    whose: str = ""
    age: str = ""
    kind: str = ""
    tag: str = ""
    length: str = ""
    state: str = ""
    topic: str = ""
    language: str = ""
    rights: str = ""
    # Of conditions that other apps handed in: name → value.
    more: Mapping[str, str] = field(default_factory=dict)

    @classmethod
    def of(
        cls, asked: Mapping[str, str], binder: Binder | None, folder: Folder | None = None, *, everywhere: bool = False
    ) -> Filters:
        """As an address says them; what is none of the choices is not asked."""
        return cls(
            text=asked.get("q", "").strip(),
            binder=binder,
            folder=folder,
            everywhere=everywhere,
            whose=_known(asked, "whose", WHOSE),
            age=_known(asked, "age", AGES),
            kind=_known(asked, "kind", {kind.name: "" for kind in kinds()}),
            tag=asked.get("tag", ""),
            length=_known(asked, "length", LENGTHS),
            state=_known(asked, "state", dict(ModuleState.choices)),
            topic=asked.get("topic", ""),
            language=_known(asked, "language", LANGUAGES),
            rights=_known(asked, "rights", RIGHTS),
            more={name: asked[name] for name in _conditions if asked.get(name)},
        )

    @property
    def is_narrow(self) -> bool:
        """Whether one of the filters is set that are asked for seldom."""
        return any((self.tag, self.language, self.rights, self.state, self.more))

    @property
    def are_set(self) -> bool:
        """Whether anything but a place is asked."""
        asked = (self.text, self.whose, self.age, self.kind, self.tag, self.length, self.state)
        return any((*asked, self.topic, self.language, self.rights, self.more))


def _known(asked: Mapping[str, str], name: str, choices: Collection[str]) -> str:
    value = asked.get(name, "")
    return value if value in choices else ""


def modules_of(account: Any, filters: Filters, verb: str = "see modules") -> QuerySet[Module]:
    """The modules that the account sees (or may do *verb* to) and that fit everything but the words."""
    modules = policy.visible(account, verb, Module.objects.select_related("binder", "folder"))
    if filters.binder:
        modules = modules.filter(binder=filters.binder)
        if not filters.are_set and not filters.everywhere:
            # One looks into a place; what is asked is looked for in all of the binder.
            modules = modules.filter(folder=filters.folder)
    if filters.kind:
        modules = modules.filter(kind=filters.kind)
    if filters.tag:
        modules = modules.filter(tags__name=filters.tag)
    if filters.length:
        least, most = LENGTHS[filters.length].bounds
        modules = modules.filter(minutes__gt=least)
        modules = modules.filter(minutes__lte=most) if most is not None else modules
    if filters.topic:
        # What is about one below it is about a topic.
        topics = Topic.objects.filter(Q(public_id=filters.topic) | Q(parent__public_id=filters.topic))
        carrying = Module.topics.through.objects.filter(topic__in=topics)
        modules = modules.filter(pk__in=carrying.values("module"))
    if filters.language:
        modules = modules.filter(language=filters.language)
    if filters.rights:
        modules = modules.filter(rights=filters.rights)
    for name, value in filters.more.items():
        modules = modules.filter(_conditions[name].rows(value))
    modules = modules.filter(state=filters.state) if filters.state else modules.exclude(state__in=OUT_OF_USE)
    return _whose(modules, account, filters)


def _whose(modules: QuerySet[Module], account: Any, filters: Filters) -> QuerySet[Module]:
    since = clock.now() - timedelta(days=int(filters.age)) if filters.age else None
    if filters.whose == "touched":
        touched = Entry.objects.filter(
            actor_id=account.public_id, object_kind="module", object_id=OuterRef("public_id")
        )
        return modules.filter(Exists(touched.filter(at__gte=since) if since else touched))
    if filters.whose == "marked":
        marks = ModuleMark.objects.filter(account=account, module=OuterRef("pk"))
        return modules.filter(Exists(marks.filter(made_at__gte=since) if since else marks))
    if filters.whose == "others":
        modules = policy.visible(account, "use modules", modules).exclude(in_edited_binder(account))
    elif filters.whose == "unused":
        modules = modules.exclude(is_used())
    return modules.filter(newest_at__gte=since) if since else modules


@dataclass(frozen=True)
class Hit:
    """Where words stand inside a module: the place in words, its address, and the words around."""

    place: str
    url: str
    around: str


@dataclass(frozen=True)
class FoundRow(ModuleRow):
    """A module that was found by words; *hit* is None where all of them stand in what the list shows anyway."""

    hit: Hit | None = None


class FoundModules(LazyRows[ModuleRow]):
    """What was found by words, the best first; only the rows that are shown are made."""

    def __init__(self, modules: QuerySet[Module], text: str) -> None:
        self.modules, self.text = modules, text
        self.instead: dict[str, list[str]] = {}
        self._asked: tuple[int, int] = (0, 0)
        self._found: index.Ranking | None = None
        self._total: int | None = None

    def _ranking(self, start: int, stop: int) -> index.Ranking:
        """The hits between two places, looked for once: how many there are in all comes with the first page of them."""
        if self._found is None or not self._asked[0] <= start <= stop <= self._asked[1]:
            order = ["-newest_at", "title"]
            self._found = index.rank("module", self.text, self.modules, order=order, offset=start, limit=stop - start)
            self._asked, self.instead = (start, stop), self._found.instead
        return self._found

    def __len__(self) -> int:
        if self._total is None:
            self._total = self._ranking(0, PER_PAGE).total
        return self._total

    def made(self, start: int, stop: int) -> list[ModuleRow]:
        ranking = self._ranking(start, stop)
        found = ranking.rows[start - self._asked[0] : stop - self._asked[0]]
        keys = [row.key for row in found]
        read = {m.pk: m for m in newest_versions(Module.objects.filter(pk__in=keys).select_related("binder", "folder"))}
        rows = module_rows([read[key] for key in keys if key in read])
        hits = _hits([row.module for row in rows], ranking.looked_for)
        return [FoundRow(row.module, row.version, row.description, hits.get(row.module.pk)) for row in rows]


def _hits(modules: list[Module], words: list[str]) -> dict[int, Hit]:
    """For each module the place inside that has the most of the words which its list entry does not show."""
    versions = [(module, version) for module in modules for version in newest_of(module)]
    shown = {m.pk: f"{m.title} {' '.join(tag.name for tag in m.tags.all())}" for m in modules}
    by_key = {module.pk: module for module in modules}
    return {
        key: Hit(inside.words, address_at(by_key[key], inside.place), inside.around)
        for key, inside in hits_inside(versions, words, shown).items()
    }


@dataclass(frozen=True)
class Inside:
    """Where words stand inside a version: the place as its kind counts, in words, and the words around."""

    place: float
    words: str
    around: str


def hits_inside(
    pairs: Iterable[tuple[Module, ModuleVersion]], words: Sequence[str], shown: Mapping[int, str]
) -> dict[int, Inside]:
    """Module → the place in this version of it that has the most of the words which what is *shown* of it does not; one query."""
    versions = {version.pk: (module, version) for module, version in pairs}
    passages: dict[int, list[Passage]] = {}
    for passage in Passage.objects.filter(version__in=versions).order_by("version", "place", "pk"):
        passages.setdefault(passage.version_id, []).append(passage)
    found = {}
    for key, some in passages.items():
        module, version = versions[key]
        standing = set(words_of(shown.get(module.pk, "")))
        looked_for = [word for word in words if word not in standing]
        at = place_of(looked_for, [f"{passage.title} {passage.text}" for passage in some])
        if at is not None:
            where = kind_named(module.kind).place(version.data, some[at].place)
            found[module.pk] = Inside(some[at].place, where, snippet(looked_for, some[at].text))
    return found


def find(account: Any, filters: Filters, verb: str = "see modules") -> QuerySet[Module] | FoundModules:
    """The modules that fit; where words are asked, in the order of how well they fit."""
    modules = modules_of(account, filters, verb)
    return FoundModules(modules, filters.text) if fold(filters.text).strip() else modules


def first_rows(account: Any, filters: Filters, *, limit: int, start: int = 0) -> list[ModuleRow]:
    """The first of the modules (from *start* on) that fit and that the account may use: by how well, where words are asked, else by
    title."""
    found = find(account, filters, "use modules")
    if isinstance(found, FoundModules):
        return found.made(start, start + limit)
    return module_rows(list(newest_versions(found.order_by("title", "pk"))[start : start + limit]))
