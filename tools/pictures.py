"""Draws docs/pictures: the apps from the ground up, and how data flows. `python -m tools.pictures`."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from pathlib import Path
from xml.sax.saxutils import escape

ROOT = Path(__file__).resolve().parents[1]
PAPER, INK, QUIET, ACCENT, LINE = "#faf7f1", "#1d232c", "#5a6270", "#00596a", "#cfc8bb"
WASHES = {"roof": "#e8eef0", "screens": "#e3f0f2", "job": "#f4ecd9", "furniture": "#efeae1", "ground": "#dfe8dc"}

# What each app is, and the group it is drawn in.
APPS = {
    "config": ("roof", "settings, addresses, worker, commands, the demo"),
    "standins": ("roof", "simulated outside services: the mail tray"),
    "desk": ("screens", "each role’s first page"),
    "outside": ("screens", "training from outside and from before"),
    "planning": ("screens", "plans of sessions: the fewest late in the fewest"),
    "keeping": ("screens", "for how long names are kept, and what is left then"),
    "evidence": ("screens", "sealed bundles that prove who was covered"),
    "reports": ("screens", "reports: ready, kept, sent on days"),
    "records": ("screens", "board, lists, training records, why, certificates"),
    "messaging": ("screens", "messages to people, and what they answer"),
    "timetable": ("job", "sessions, seats, waiting lists"),
    "catalogue": ("job", "finding, keeping, rating, passing on; requests"),
    "telling": ("job", "notice rules, quiet days; each in one message"),
    "assignments": ("job", "assignments, reasons, waivers; keeps them true"),
    "quizzes": ("job", "question banks, quizzes, marking"),
    "signing": ("job", "tasks signed off on the job"),
    "writing": ("job", "lessons: written, released, read"),
    "playing": ("job", "the player, content hosts, the package run-time"),
    "learning": ("job", "enrolments, attempts, completions, validity spans"),
    "courses": ("job", "courses, editions, steps, terms, release"),
    "sources": ("job", "watched folders, lists of links"),
    "library": ("job", "binders, modules and versions, uploads, kinds"),
    "topics": ("job", "the organisation’s list of two levels"),
    "notices": ("job", "what was told to whom"),
    "people_import": ("job", "files of people: columns, judging, carrying out"),
    "leads": ("job", "who answers for whom, by which powers"),
    "reaches": ("job", "groups, stored reaches, histories of people"),
    "people": ("job", "persons, placements, leave, fields, sign-ins"),
    "charts": ("job", "units and positions on any day; parts"),
    "search": ("furniture", "one full-text index"),
    "accounts": ("furniture", "who signs in, roles, the policy, the organisation"),
    "journal": ("furniture", "append-only, hash-chained; each verb’s sentence"),
    "daily": ("furniture", "tasks that run once a day"),
    "queue": ("furniture", "work handed over by an act; what failed"),
    "web": ("furniture", "frame, components, margin panels, tables, sheets"),
    "fact_arrays": ("furniture", "columns of facts, added to as they are written"),
    "fact_cache": ("furniture", "what is read from facts, until one is written"),
    "facts": ("furniture", "facts with two clocks"),
    "tabular": ("furniture", "tables as files: CSV and XLSX, in and out"),
    "stored_arrays": ("furniture", "arrays on disk that every process maps"),
    "arrays": ("furniture", "columns of tables as arrays"),
    "clock | events | identity | refusals": ("ground", "today, now; every event"),
    "core": ("ground", "the rules of the job: values in, values out"),
}


@dataclass
class Drawing:
    """An SVG that is written from the top down."""

    width: int
    height: int
    title: str

    def __post_init__(self) -> None:
        self.parts = [
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {self.width} {self.height}" role="img" '
            f'font-family="system-ui, sans-serif" font-size="14"><title>{escape(self.title)}</title>',
            f'<defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="8" markerHeight="8" orient="auto">'
            f'<path d="M0 0 8 4 0 8z" fill="{INK}"/></marker></defs>',
            f'<rect width="{self.width}" height="{self.height}" fill="{PAPER}"/>',
        ]

    def box(self, x: int, y: int, w: int, h: int, fill: str, stroke: str = LINE) -> None:
        self.parts.append(f'<rect x="{x}" y="{y}" width="{w}" height="{h}" fill="{fill}" stroke="{stroke}"/>')

    def text(self, x: int, y: int, text: str, *, bold: bool = False, quiet: bool = False, middle: bool = False) -> None:
        style = ' font-weight="700"' if bold else ""
        style += ' text-anchor="middle"' if middle else ""
        self.parts.append(f'<text x="{x}" y="{y}" fill="{QUIET if quiet else INK}"{style}>{escape(text)}</text>')

    def arrow(self, path: str, *, dashed: bool = False) -> None:
        dash = ' stroke-dasharray="5 4"' if dashed else ""
        self.parts.append(
            f'<path d="{path}" fill="none" stroke="{INK}" stroke-width="1.6"{dash} marker-end="url(#tip)"/>'
        )

    def line(self, x1: int, y1: int, x2: int, y2: int, width: float, colour: str) -> None:
        self.parts.append(
            f'<path d="M{x1} {y1} {x2} {y2}" stroke="{colour}" stroke-width="{width}" stroke-linecap="round"/>'
        )

    def write(self, path: Path) -> None:
        path.write_text("\n".join([*self.parts, "</svg>"]) + "\n")


def layers() -> list[str]:
    """The apps from the roof to the ground, as the import contract has them."""
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["importlinter"]["contracts"]
    found: list[str] = next(c["layers"] for c in contracts if c["type"] == "layers")
    return found


def apps() -> Drawing:
    """The apps as the rungs of a ladder: one knows only those below it."""
    names, row, top, left = layers(), 34, 46, 150
    drawing = Drawing(980, top + row * len(names) + 34, "The apps from the ground up")
    bottom = top + row * len(names)
    drawing.text(left, 26, "roof", quiet=True)
    drawing.line(left - 8, top - 8, left - 8, bottom + 6, 4, INK)
    drawing.line(left + 568, top - 8, left + 568, bottom + 6, 4, INK)
    for n, name in enumerate(names):
        group, says = APPS[name]
        y = top + n * row
        drawing.box(left, y, 560, row - 6, WASHES[group], WASHES[group])
        drawing.line(left - 8, y + row - 5, left + 568, y + row - 5, 2.5, ACCENT)
        drawing.text(left + 10, y + 19, name.replace(" | ", " · "), bold=True)
        drawing.text(left + max(205, 26 + 8 * len(name)), y + 19, says)
    drawing.text(left, bottom + 24, "ground", quiet=True)
    drawing.arrow(f"M122 {top + 10} 122 {bottom - 8}")
    drawing.text(14, top + 60, "imports,", bold=True)
    drawing.text(14, top + 80, "foreign keys,")
    drawing.text(14, top + 100, "addresses")
    drawing.text(14, top + 120, "point down")
    x = left + 592
    drawing.arrow(f"M{x} {top + 70} C{x + 70} {top + 110} {x + 70} {bottom - 200} {x} {bottom - 110}", dashed=True)
    for n, text in enumerate(
        (
            "handed in",
            "by wiring.py at start:",
            "listeners, effects,",
            "margin panels, verbs,",
            "policy relations,",
            "reach facts, search",
            "sources, daily tasks",
        )
    ):
        drawing.text(x + 64, top + 200 + 20 * n, text, bold=n == 0)
    return drawing


def data_flow() -> Drawing:
    """From a request to facts, and from facts to a status on any day."""
    drawing = Drawing(960, 430, "How data flows: from a request to facts, from facts to a status on any day")
    chain = [
        ("request", ""),
        ("policy", "may this role?"),
        ("form", "errors beside fields"),
        ("action", "one transaction"),
    ]
    for n, (name, says) in enumerate(chain):
        x = 20 + n * 190
        drawing.box(x, 30, 150, 56, WASHES["furniture"])
        drawing.text(x + 75, 54, name, bold=True, middle=True)
        drawing.text(x + 75, 74, says, quiet=True, middle=True)
        if n < 3:
            drawing.arrow(f"M{x + 150} 58 {x + 187} 58")
    drawing.box(800, 30, 140, 56, WASHES["ground"])
    drawing.text(870, 54, "core", bold=True, middle=True)
    drawing.text(870, 74, "decides", quiet=True, middle=True)
    drawing.arrow("M740 48 797 48")
    drawing.arrow("M800 70 743 70")
    out = [
        (400, "journal", "entry, rows’ digests"),
        (590, "facts", "recorded, revoked"),
        (770, "events", "same transaction"),
    ]
    for x, name, says in out:
        drawing.box(x, 150, 170, 56, WASHES["job"])
        drawing.text(x + 85, 174, name, bold=True, middle=True)
        drawing.text(x + 85, 194, says, quiet=True, middle=True)
        drawing.arrow(f"M{665} 86 C{665} 120 {x + 85} 110 {x + 85} 147")
    drawing.arrow("M675 206 675 257")
    drawing.text(690, 236, "derived anew when one changes", quiet=True)
    drawing.box(420, 260, 255, 62, WASHES["job"])
    drawing.text(547, 285, "reasons · validity spans", bold=True, middle=True)
    drawing.text(547, 306, "first … last · known from … to", quiet=True, middle=True)
    drawing.box(685, 260, 255, 62, WASHES["furniture"])
    drawing.text(812, 285, "enrolments · notices", bold=True, middle=True)
    drawing.text(812, 306, "kept true daily and at once", quiet=True, middle=True)
    drawing.arrow("M547 322 547 361")
    drawing.box(300, 364, 640, 46, WASHES["screens"])
    drawing.text(
        620, 392, "status of one person, or of everybody, on any day, as known on any day", bold=True, middle=True
    )
    drawing.box(20, 260, 230, 62, WASHES["roof"])
    drawing.text(135, 285, "./ladder verify", bold=True, middle=True)
    drawing.text(135, 306, "checks chain, digests, rows", quiet=True, middle=True)
    drawing.arrow("M250 280 C330 270 370 230 397 190", dashed=True)
    drawing.arrow("M250 300 417 300", dashed=True)
    return drawing


def main() -> None:
    folder = ROOT / "docs/pictures"
    folder.mkdir(exist_ok=True)
    apps().write(folder / "apps.svg")
    data_flow().write(folder / "data-flow.svg")


if __name__ == "__main__":
    main()
