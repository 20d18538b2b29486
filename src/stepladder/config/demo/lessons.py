"""A lesson of five sections with every block there is, as Bo Tarn wrote it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from stepladder.accounts.models import Account
from stepladder.library import own_pictures
from stepladder.library.editing import edit_module
from stepladder.library.models import Binder, Module
from stepladder.writing import actions, files
from stepladder.writing.models import Lesson
from stepladder.writing.releasing import release_lesson

__all__ = ["TITLE", "make_lesson"]

FILES = Path(__file__).resolve().parent / "files"
TITLE = "How a fire grows"
Tree = dict[str, Any]


def text(words: str, **marks: Any) -> Tree:
    """Words; a mark is True, or its attributes."""
    said = [{"type": name, **({"attrs": attrs} if isinstance(attrs, dict) else {})} for name, attrs in marks.items()]
    return {"type": "text", "text": words, **({"marks": said} if said else {})}


def node(kind: str, *inside: Tree | str, **attrs: Any) -> Tree:
    content = [text(one) if isinstance(one, str) else one for one in inside]
    return {"type": kind, **({"attrs": attrs} if attrs else {}), **({"content": content} if content else {})}


def p(*inside: Tree | str) -> Tree:
    return node("paragraph", *inside)


def items(kind: str, *lines: str) -> Tree:
    return node(kind, *(node("item", p(line)) for line in lines))


def table(caption: str, heads: list[str], rows: list[list[str]]) -> Tree:
    def row(kind: str, cells: list[str]) -> Tree:
        return node("row", *(node(kind, p(cell)) for cell in cells))

    return node("table", row("head_cell", heads), *(row("cell", cells) for cells in rows), caption=caption)


def check(kind: str, asked: str, **said: Any) -> Tree:
    return node("check", question={"kind": kind, "text": asked, **said})


def answer(words: str, feedback: str = "", *, right: bool = False) -> Tree:
    return {"text": words, "right": right, "feedback": feedback}


def picture(name: str) -> Tree:
    """One of the demo's own drawings, kept as a lesson keeps its pictures."""
    path = FILES / "lesson" / f"{name}.png"
    with path.open("rb") as sent:
        file, width, height = own_pictures.keep_whole(sent, path.name, path.stat().st_size)
    return {"file": file, "width": width, "height": height}


def version_of(title: str) -> str:
    return str(Module.objects.get(title=title).versions.order_by("-number")[0].public_id)


def make_lesson(binder: Binder, author: Account) -> Lesson:
    """“How a fire grows”, released: in it every block that a lesson can have."""
    lesson = actions.create_lesson(
        binder=binder,
        title=TITLE,
        description="From a spark to a deck: what a fire needs, and what takes it away.",
        by=author,
    )
    first = lesson.sections.get()
    for title, tree in _sections(lesson.module, author):
        section = first if first.title == "" else actions.add_section(lesson=lesson, by=author)
        first = actions.save_section(section=section, revision=None, title=title, tree=node("doc", *tree), by=author)
    cover = {
        **picture("two-doors"),
        "shows": "Two cabin doors, one shut on a fire, one open on smoke",
        "words": "Fire on board",
    }
    actions.set_options(lesson=lesson, options={"cover": cover}, by=author)
    release_lesson(lesson=lesson, note="", by=author)
    edit_module(
        module=lesson.module,
        revision=None,
        title=TITLE,
        description=lesson.module.description,
        minutes=lesson.module.minutes,
        tags=["fire"],
        language="en",
        by=author,
    )
    return lesson


def _sections(module: Module, author: Account) -> list[tuple[str, list[Tree]]]:
    return [
        ("Three things it needs", _three_things()),
        ("The first minute", _first_minute()),
        ("Doors, and why", _doors()),
        ("Smoke goes first", _smoke(module, author)),
        ("What you do, in this order", _in_order()),
    ]


def _three_things() -> list[Tree]:
    flashover = "The moment at which everything in a room burns at once."
    return [
        p(
            "A fire needs ",
            text("heat", strong=True),
            ", ",
            text("fuel", strong=True),
            " and ",
            text("air", strong=True),
            ". Take one away and it dies; leave it all three and it grows until ",
            text("flashover", term={"meaning": flashover}),
            ".",
        ),
        node(
            "gallery",
            pictures=[
                {
                    **picture("three-things"),
                    "shows": "A triangle of heat, fuel and air with a flame in it",
                    "caption": "All three: it burns.",
                },
                {
                    **picture("one-thing-gone"),
                    "shows": "The triangle without its air, and smoke",
                    "caption": "Air taken away: it dies.",
                },
            ],
        ),
        node("heading", "What takes which away", level=1),
        table(
            "What each of our means takes from a fire",
            ["means", "takes", "not on"],
            [
                ["water", "heat", "fat, live wires"],
                ["a blanket", "air", "a fire larger than it"],
                ["foam", "air, and some heat", "live wires"],
            ],
        ),
        node("quote", p("A fire is a guest that eats whatever you give it."), source="The galley’s oldest hand"),
        check(
            "match",
            "What does each take from a fire?",
            pairs=[
                {"left": "a lid on the pan", "right": "air"},
                {"left": "water on wood", "right": "heat"},
                {"left": "a closed valve", "right": "fuel"},
            ],
            when_right="That is the whole triangle.",
        ),
    ]


def _first_minute() -> list[Tree]:
    cooling = "Water on the far side of a wall, so that what stands behind it does not catch fire."
    return [
        p(
            "A fire in a cabin doubles about every minute. What you do in the first one decides whether it stays a cabin, and ",
            text("boundary cooling", term={"meaning": cooling}),
            " whether it stays a deck.",
        ),
        node("note", p("Never open a warm door to look. The air you let in is what it waits for."), tone="mind"),
        node(
            "picture",
            **picture("two-doors"),
            shows="Two cabin doors: shut, fire behind it; open, smoke along the corridor ceiling.",
            caption="Shut, the door holds for half an hour; open, the corridor is full of smoke in three minutes.",
        ),
        check(
            "one",
            "Which door do you shut first?",
            choices=[
                answer("the one you came through"),
                answer("the one to where it burns", "It has the air of one cabin, and no more.", right=True),
                answer("none, you need the way out", "Then it has your way out as well."),
            ],
            hint="Where is the air that it has not had yet?",
        ),
        node("heading", "How fast is fast", level=1),
        p("If it doubles every minute, what began as one square metre after ", text("t", em=True), " minutes is"),
        node("formula", source=r"A = 2^{t} \ \mathrm{m^2}", words="A is two to the power of t, in square metres"),
        check(
            "number",
            "How many square metres is it after five minutes?",
            number="32",
            unit="m²",
            when_wrong="Double one five times.",
        ),
        node("film", version=version_of("The first two minutes"), caption="The same, as it really looks: 0:40."),
    ]


def _doors() -> list[Tree]:
    return [
        p("A fire door is a wall that opens. It is worth nothing while something holds it."),
        node(
            "compare",
            **{f"before_{name}": value for name, value in picture("corridor-clear").items()},
            **{f"after_{name}": value for name, value in picture("corridor-smoke").items()},
            before_shows="A corridor with its fire door shut, clear",
            after_shows="The same corridor with the door wedged open, smoke down to the shoulders",
            before_word="the door shut",
            after_word="the door wedged, three minutes later",
            caption="Drawn after the drill of last autumn.",
        ),
        items(
            "bullets",
            "Nothing in the frame: no wedge, no crate, no hose.",
            "It shuts by itself. If not, it is broken: report it.",
        ),
        node(
            "spots",
            **picture("cabin-corridor"),
            shows="A corridor of eight cabins from above, with a fire in one of them",
            caption="The lower deck of the Dunlin.",
            spots=[
                {"x": 0.55, "y": 0.3, "title": "Where it burns", "text": "Shut this one first."},
                {"x": 0.2, "y": 0.5, "title": "The call point", "text": "Break it on the way, not on the way back."},
                {"x": 0.83, "y": 0.5, "title": "The fire door", "text": "Behind it the passengers gather."},
            ],
        ),
        node(
            "fold_out",
            p("Steel carries heat to the other side in minutes; a door with a core does not. That is why it is heavy."),
            title="Why not plain steel?",
        ),
        check(
            "true_false",
            "A fire door may be wedged open while the deck is washed.",
            is_true=False,
            when_wrong="Not for a minute: that is how long it takes.",
        ),
    ]


def _smoke(module: Module, author: Account) -> list[Tree]:
    leaflet = FILES / "muster-list.pdf"
    with leaflet.open("rb") as sent:
        kept = files.keep_file(
            module=module, sent=sent, name="Muster list to hang up.pdf", size=leaflet.stat().st_size, by=author
        )
    return [
        p("Smoke is what kills, and it goes first: up, along the ceiling, and then down. Who crawls, breathes."),
        node(
            "note",
            p("Two breaths of thick smoke are enough to lose your way in a corridor that you know."),
            tone="danger",
        ),
        node("note", p("Smoke sinks as it cools: far from the fire it may lie low."), tone="know"),
        node("note", p("Hand on the wall, face to the floor, count the doors."), tone="do"),
        node("sound", version=version_of("Radio words, spoken"), caption="What is said on the radio, and how."),
        node(
            "listing",
            "FIRE FIRE FIRE\nlower deck, cabin 4, port side\ntwo people, boundary cooling begun",
            language="radio",
        ),
        node("document", version=version_of("Muster list of your vessel"), caption="Where you take them."),
        node("attachment", **kept),
        node("page", url="https://tides.marram.example/today", title="Wind and tide today", height=300),
        node("line"),
        check(
            "several",
            "What do you take with you into smoke?",
            choices=[
                answer("a radio", right=True),
                answer("a torch", right=True),
                answer("your bag", "It is what people turn back for."),
                answer("a partner", right=True),
            ],
            show_right=False,
        ),
    ]


def _in_order() -> list[Tree]:
    def step(title: str, words: str) -> Tree:
        return node("step", node("step_title", title), p(words))

    return [
        node(
            "steps",
            step("Raise the alarm", "Before anything else, and even if you are not sure."),
            step("Shut what can be shut", "Doors, vents, the fan."),
            step("Cool around it", "Decks above, walls beside."),
            step("Count", "Everybody has a name on the muster list."),
        ),
        check(
            "order",
            "Put them in order.",
            choices=[answer(one) for one in ("alarm", "doors and vents", "boundary cooling", "counting")],
        ),
        check(
            "text",
            "What is it called when everything burns at once?",
            accepted=["flashover", "flash over"],
            hint="It is a key term of the first section.",
        ),
        p(
            "The course goes on with extinguishers: ",
            text("what is where on your vessel", link={"href": "https://intranet.marram.example/means"}),
            ".",
        ),
        items("numbers", "Read the muster list of your vessel.", "Walk your way out once with your eyes shut."),
    ]
