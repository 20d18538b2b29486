"""The library with many modules: its lists, and words looked for inside all of them, beside the bare query of the index."""

from __future__ import annotations

import random
import statistics
import time
from collections.abc import Callable

from django.db import connection
from django.test import Client
from django.urls import reverse

from bench import check, company
from stepladder import clock
from stepladder.library.actions import create_binder
from stepladder.library.models import Binder, Module, ModuleVersion, Passage
from stepladder.search import index

WORDS, PAGES, WORDS_A_PAGE = 8_000, 3, 60
ROUNDS = 40


def run(count: int) -> list[str]:
    """Lines of what it came to with so many modules of three pages each."""
    company.found(1)
    admin = company.administrator()
    binder = create_binder(name="Deck", owner=admin, is_shared=True, by=company.BY)
    dice = random.Random(5)  # noqa: S311 - made-up words
    words = [f"{a}{b}{n}" for n in range(WORDS // 40) for a in ("fir", "mor", "lin", "dek", "val") for b in "abcdefgh"]
    _modules(count, binder, dice, words)
    began = time.perf_counter()
    index.rebuild()
    indexed = time.perf_counter() - began
    client = Client()
    client.force_login(admin)
    asked = [" ".join(dice.choices(words[:400], k=dice.choice((1, 2)))) for _ in range(ROUNDS)]
    found = _times([lambda text=text: _search(client, text) for text in asked])  # type: ignore[misc]
    bare = _times([lambda text=text: _bare(text) for text in asked])  # type: ignore[misc]
    ranked = _times([lambda text=text: _ranked(text) for text in asked])  # type: ignore[misc]
    lists = _middle([lambda: _page(client, reverse("library:binder", args=[binder.public_id])) for _ in range(15)])
    grids = _middle([lambda: _page(client, reverse("library:grid"), binder=binder.public_id) for _ in range(15)])
    return [
        f"{count:,} modules, indexed in {indexed:.0f} s ({count * 3600 / indexed:,.0f} an hour)",
        f"a page of hits: 95 of 100 within {found:.0f} ms; ranked alone {ranked:.0f} ms; "
        f"the bare query of the index, best first {bare:.0f} ms, ratio of the ranked {ranked / bare:.1f}",
        f"the first page of a binder: {lists:.0f} ms, of the grid: {grids:.0f} ms",
    ]


def _modules(count: int, binder: Binder, dice: random.Random, words: list[str]) -> None:
    now = clock.now()

    def text(length: int) -> str:
        # Some words stand nearly everywhere, most hardly anywhere.
        return " ".join(words[min(int(dice.paretovariate(0.6)) - 1, len(words) - 1)] for _ in range(length))

    for start in range(0, count, 1000):
        some = range(start, min(start + 1000, count))
        modules = Module.objects.bulk_create(
            [
                Module(binder=binder, kind="document", title=f"{text(4)} {n}", minutes=5, newest_at=now, changed_at=now)
                for n in some
            ]
        )
        versions = ModuleVersion.objects.bulk_create(
            [
                ModuleVersion(
                    module=module, number=1, data={"pages": PAGES}, made_at=now, made_by="Bench", derived_by=1
                )
                for module in modules
            ]
        )
        Passage.objects.bulk_create(
            [Passage(version=v, place=page, text=text(WORDS_A_PAGE)) for v in versions for page in range(1, PAGES + 1)]
        )


def _times(acts: list[Callable[[], object]]) -> float:
    """What 95 of 100 stay within, in milliseconds."""
    return statistics.quantiles(_took(acts), n=20)[-1]


def _middle(acts: list[Callable[[], object]]) -> float:
    """What one of them takes in the middle, in milliseconds."""
    return statistics.median(_took(acts))


def _took(acts: list[Callable[[], object]]) -> list[float]:
    took = []
    for act in acts:
        began = time.perf_counter()
        act()
        took.append(1000 * (time.perf_counter() - began))
    return took


def _page(client: Client, url: str, **query: str) -> None:
    answer = client.get(url, query)
    check(answer.status_code == 200, f"{url} answered {answer.status_code}")


def _search(client: Client, text: str) -> None:
    _page(client, reverse("library:home"), q=text)


def _ranked(text: str) -> None:
    index.rank("module", text, Module.objects.all(), order=["-newest_at", "title"])


def _bare(text: str) -> None:
    with connection.cursor() as cursor:
        query = " ".join(f'"{word}"' for word in text.split())
        cursor.execute(
            "SELECT rowid FROM search_document WHERE search_document MATCH %s "
            "ORDER BY bm25(search_document, 0, 0, 0, 8, 4, 2, 1) LIMIT 50",
            [query],
        )
        cursor.fetchall()
