"""Whom a form means: its parts of conditions, and people named in and out, as a stored reach."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import QueryDict

from stepladder.accounts import policy
from stepladder.charts.dated_charts import positions_tree, units_tree
from stepladder.charts.parts import part_of
from stepladder.core.fields import ValueUnread, read_value
from stepladder.core.numbers import whole_number
from stepladder.people.models import Person, PersonField
from stepladder.reaches.errors import NobodyMeant
from stepladder.reaches.models import Group
from stepladder.reaches.stored import load_world, parse, sentence, skill_levels

__all__ = [
    "MOST_PARTS",
    "ReachPart",
    "chosen_reach",
    "form_expresses",
    "form_of",
    "means_the_same",
    "pickers",
    "reach_context",
    "read_parts",
    "sentence_of",
    "stored_reach",
]

MOST_PARTS = 6
GROUPS = frozenset({"all", "any", "none"})
HOWS = ("is", "is not", "at least", "at most", "is empty")


class ReachPart:
    """One part of a reach as the form sends it. Its units, positions and groups are each one of those chosen.

    *mode*: "all", who fits every line of it, each line narrowing; "any", who fits one of them; "none", who fits none.
    """

    def __init__(self, data: Mapping[str, Any] | QueryDict, number: int) -> None:
        self.number = number
        self.mode = str(data.get(f"g{number}-mode", "all"))
        self.units = _keys(data, f"g{number}-unit")
        self.with_below = data.get(f"g{number}-below", "1") == "1"
        self.positions = _keys(data, f"g{number}-position")
        self.groups = _keys(data, f"g{number}-group")
        self.hired = _days(data, f"g{number}-hired")
        self.placed = _days(data, f"g{number}-placed")
        self.kind = str(data.get(f"g{number}-kind", ""))
        self.skill = whole_number(str(data.get(f"g{number}-skill", "")))
        self.field = str(data.get(f"g{number}-field", ""))
        self.field_how = str(data.get(f"g{number}-how", "is"))
        self.field_value = str(data.get(f"g{number}-value", "")).strip()

    @property
    def conditions(self) -> list[dict[str, Any]]:
        """As a stored reach has them."""
        found: list[dict[str, Any]] = []
        for line in (
            [{"kind": "unit", "unit": u, "below": self.with_below} for u in self.units],
            [{"kind": "position", "position": p} for p in self.positions],
            [{"kind": "group", "group": g} for g in self.groups],
        ):
            # Nobody is in all of several units: what is chosen in one line is one or another of it.
            found += [{"kind": "any", "parts": line}] if self.mode == "all" and len(line) > 1 else line
        if self.hired is not None:
            found.append({"kind": "hired within", "days": self.hired})
        if self.placed is not None:
            found.append({"kind": "placed within", "days": self.placed})
        if self.kind:
            found.append({"kind": "employment", "value": self.kind})
        if self.skill is not None:
            found.append({"kind": "skill", "level": self.skill})
        asked = _field_condition(self.field, self.field_how, self.field_value)
        return [*found, asked] if asked else found


def _field_condition(public_id: str, how: str, text: str) -> dict[str, Any] | None:
    """A custom field compared. What cannot be read as its kind is compared as nobody has it."""
    field = PersonField.objects.filter(public_id=public_id).first() if public_id else None
    if field is None or how not in HOWS:
        return None
    try:
        kind: Any = field.kind
        value = "" if how == "is empty" else read_value(kind, text, choices=field.choices)
    except ValueUnread:
        return {"kind": "any", "parts": []}
    if how != "is empty" and not value:
        return None
    return {"kind": "field", "field": str(field.pk), "of": field.kind, "how": how, "value": value}


def _keys(data: Any, name: str) -> list[int]:
    values = data.getlist(name) if isinstance(data, QueryDict) else []
    return [key for value in values if (key := whole_number(value)) is not None]


def _days(data: Any, name: str) -> int | None:
    value = whole_number(str(data.get(name, "")))
    # Further back than ten years everybody is meant, and the days of the calendar end somewhere.
    return None if value is None else min(value, 3650)


def read_parts(data: Mapping[str, Any] | QueryDict) -> list[ReachPart]:
    """The parts of a form, at least one."""
    # It comes with the form: a hundred million parts would be made for whoever writes the number in.
    number = min(whole_number(str(data.get("parts", "1"))) or 1, MOST_PARTS)
    return [ReachPart(data, n) for n in range(max(number, 1))]


def chosen_reach(data: QueryDict, who: str) -> dict[str, Any] | None:
    """The reach of a form in which one chooses *who* it is for: that of "reach", else None. Raises NobodyMeant where it is empty."""
    if who != "reach":
        return None
    reach = stored_reach(data)
    if not reach.get("in") and not reach.get("named_in"):
        raise NobodyMeant
    return reach


def stored_reach(data: QueryDict) -> dict[str, Any]:
    """The reach that a form means: its parts combined, named people in and out. Empty parts say nothing."""
    parts = [{"kind": p.mode, "parts": p.conditions} for p in read_parts(data) if p.conditions]
    join = "any" if data.get("join") == "any" else "all"
    people = dict(
        Person.objects.filter(public_id__in=data.getlist("named_in") + data.getlist("named_out")).values_list(
            "public_id", "pk"
        )
    )
    if data.get("everyone"):
        condition: dict[str, Any] | None = {"kind": "all", "parts": []}
    else:
        condition = {"kind": join, "parts": parts} if parts else None
    return {
        "in": condition,
        "named_in": [people[k] for k in data.getlist("named_in") if k in people],
        "named_out": [people[k] for k in data.getlist("named_out") if k in people],
    }


def sentence_of(stored: Mapping[str, Any]) -> str:
    """Whom a reach means, read back as one sentence."""
    reach = parse(stored)
    words = sentence(reach.condition, load_world(), courses={}) if reach.condition else ""
    # A verb of its own needs none before it.
    said = [f"Whoever {words}" if words.startswith("holds ") else f"Whoever is {words}"] if words else []
    if reach.condition and stored["in"] == {"kind": "all", "parts": []}:
        said = ["Everyone"]
    for words, keys in (("also" if said else "Only", reach.named_in), ("never", reach.named_out)):
        names = [person.name for person in Person.objects.filter(pk__in=keys).order_by("family_name", "given_name")]
        if names:
            said.append(f"{words} {', '.join(names)}")
    return "; ".join(said) + "." if said else "Nobody yet."


def pickers(account: Any) -> dict[str, Any]:
    """What an account can put a reach together from: a unit administrator from the units of their part.

    Who assigns to nobody, an author, says whom something is for among everybody.
    """
    units, positions = units_tree(), positions_tree()
    every = policy.sees_every(account, "assign") or not policy.may(account, "assign")
    part = frozenset() if every else part_of(account)
    return {
        "units": [(node, depth, units.name[node]) for node, depth in units.walk() if every or node in part],
        "positions": [(node, depth, positions.name[node]) for node, depth in positions.walk()],
        "groups": list(Group.objects.values_list("pk", "name")),
        "kinds": Person.Kind.choices,
        "fields": list(PersonField.objects.filter(is_ended=False)),
        "hows": HOWS,
        "skills": skill_levels(),
    }


def reach_context(data: QueryDict, account: Any) -> dict[str, Any]:
    """The reach form with what was sent."""
    return {
        "parts": read_parts(data),
        "join": data.get("join", "all"),
        "reach_sentence": sentence_of(stored_reach(data)),
        "everyone": data.get("everyone", ""),
        "named_in": _named(data, "named_in"),
        "named_out": _named(data, "named_out"),
        **pickers(account),
    }


def _named(data: QueryDict, name: str) -> list[Person]:
    return list(Person.objects.filter(public_id__in=data.getlist(name)))


def form_of(stored: Mapping[str, Any]) -> QueryDict:
    """A stored reach as the form would have sent it."""
    data = QueryDict(mutable=True)
    condition: dict[str, Any] | None = stored.get("in")
    if condition and condition["kind"] not in GROUPS:
        condition = {"kind": "all", "parts": [condition]}
    parts: list[dict[str, Any]] = (
        [p if p["kind"] in GROUPS else {"kind": "all", "parts": [p]} for p in condition["parts"]] if condition else []
    )
    # "All of nothing" is everybody; the form has a tick of its own for it.
    if condition and not parts:
        data["everyone"] = "1"
    data["join"] = condition["kind"] if condition else "all"
    data["parts"] = str(max(len(parts), 1))
    for n, part in enumerate(parts):
        data[f"g{n}-mode"] = part["kind"]
        for line in part["parts"]:
            # A line of several, "one of these units", stands in the part as a part of its own.
            for single in line["parts"] if line["kind"] in GROUPS else [line]:
                _enter(data, f"g{n}", single)
    for name in ("named_in", "named_out"):
        people = Person.objects.filter(pk__in=stored.get(name, ()))
        data.setlist(name, list(people.values_list("public_id", flat=True)))
    return data


def form_expresses(stored: Mapping[str, Any]) -> bool:
    """Whether the form means the same as a stored reach: what it cannot show it would lose."""
    return means_the_same(stored_reach(form_of(stored)), stored)


def means_the_same(one: Mapping[str, Any], other: Mapping[str, Any]) -> bool:
    """Whether two stored reaches read alike and name the same people, however their conditions are nested."""
    named = ("named_in", "named_out")
    return all(set(one.get(n, ())) == set(other.get(n, ())) for n in named) and sentence_of(one) == sentence_of(other)


def _enter(data: QueryDict, prefix: str, condition: Mapping[str, Any]) -> None:
    kind = condition["kind"]
    if kind in ("unit", "position", "group"):
        data.appendlist(f"{prefix}-{kind}", str(condition[kind]))
    if kind == "unit":
        data[f"{prefix}-below"] = "1" if condition.get("below", True) else "0"
    elif kind in ("hired within", "placed within"):
        data[f"{prefix}-{kind.partition(' ')[0]}"] = str(condition["days"])
    elif kind == "field":
        field = PersonField.objects.filter(pk=condition["field"]).first()
        if field:
            data[f"{prefix}-field"], data[f"{prefix}-how"] = field.public_id, condition["how"]
            data[f"{prefix}-value"] = condition.get("value", "")
    elif kind == "skill":
        data[f"{prefix}-skill"] = str(condition["level"])
    elif kind == "employment":
        data[f"{prefix}-kind"] = condition["value"]
