"""What the page of an import shows beside its rows: words that mean nothing yet, and the people that rows became."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from stepladder.core.people_import import COLUMNS, MEANT, nearest, plain_path
from stepladder.people.models import Person
from stepladder.people_import.models import Import, ImportRow
from stepladder.people_import.world import load_import_world

__all__ = ["EXAMPLES", "MOST_WORDS", "UnknownWord", "column_help", "people_of", "unknown_words"]

# So many rows that are wrong are looked at for words, and so many words are asked about at once.
MOST_ROWS, MOST_WORDS = 5_000, 24
LONGEST_NAME = 120
# A row as the sample file has it, and what each column is for.
EXAMPLES: dict[str, tuple[str, str]] = {
    "number": ("MS9001", "Each row needs one; it is never used again."),
    "given": ("Ada", "Somebody new needs it."),
    "family": ("Venn", "Somebody new needs it."),
    "email": ("ada.venn@example.example", "For notices, and to sign in with."),
    "phone": ("+00 555 0101", "To be called on."),
    "unit": ("Dunlin", "Its name, or its path: Fleet › Dunlin. Somebody new needs it."),
    "position": ("Deckhand", "Its name, or its path."),
    "hired": ("2027-04-01", "Somebody new needs it. Any day that can be told: 1 Apr 2027, 01.04.2027."),
    "manager": ("MS9000", "Who leads them, by number: of somebody here, or in the same file."),
    "kind": ("employee", "employee or outside."),
    "left": ("", "The last day, of who leaves."),
    "from": ("", "From when they are in the unit, if that is not the first day or today."),
    "outside": ("", "What another system calls them."),
    "name": ("", "Instead of given and family name: “Ada Venn” or “Venn, Ada”."),
}


@dataclass(frozen=True)
class UnknownWord:
    """A word in a column of units or positions that no node is called; *near* is the node that may be meant. *is_first*: the chart
    is as good as empty, so that it is to be made rather than a slip."""

    kind: str
    text: str
    rows: int
    near: int | None
    is_first: bool

    @property
    def is_name(self) -> bool:
        """Whether a node could be called so."""
        return not any(sign in self.text for sign in "›>/") and len(self.text) <= LONGEST_NAME


def column_help() -> list[tuple[str, str, str]]:
    """(label, example, what it is for) of every column that a file may have."""
    return [(COLUMNS[key][0], example, text) for key, (example, text) in EXAMPLES.items()]


def unknown_words(job: Import) -> list[UnknownWord]:
    """The words that keep rows out because nothing in the charts is called so, those in most rows first."""
    world = load_import_world()
    wrong = job.rows.filter(verdict="wrong").order_by("number").values_list("cells", flat=True)[:MOST_ROWS]
    found = []
    for kind, known, names in (
        ("unit", world.units, world.unit_names),
        ("position", world.positions, world.position_names),
    ):
        at = next((n for n, column in enumerate(job.columns) if column["is"] == kind), None)
        if at is None:
            continue
        counts = Counter(text for cells in wrong if at < len(cells) and (text := cells[at].strip()))
        for text, count in counts.items():
            if plain_path(text) in known or text.casefold() in known:
                continue
            near = nearest(plain_path(text), known, MEANT)
            found.append(UnknownWord(kind, text, count, known[near] if near else None, len(names) <= 1))
    return sorted(found, key=lambda word: -word.rows)[:MOST_WORDS]


def people_of(job: Import, rows: Iterable[ImportRow]) -> dict[int, Person]:
    """Row, by its key → the person of its number, where there is one."""
    at = next((n for n, column in enumerate(job.columns) if column["is"] == "number"), None)
    if at is None:
        return {}
    numbers = {row.pk: row.cells[at].strip() for row in rows if at < len(row.cells)}
    people = {p.employee_number.casefold(): p for p in _numbered(list(numbers.values()))}
    return {key: people[number.casefold()] for key, number in numbers.items() if number.casefold() in people}


def _numbered(numbers: Sequence[str]) -> Iterable[Person]:
    return Person.objects.filter(employee_number__in=numbers).select_related("account")
