"""Writes docs/events.md and docs/registries.md from what apps hand in: `python -m tools.registry_pages`."""

from __future__ import annotations

import os
import re
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "src"))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "stepladder.config.settings_test")


def main() -> None:
    import django

    django.setup()
    from stepladder import events

    sources = {p: p.read_text() for p in (ROOT / "src/stepladder").glob("*/**/*.py")}
    kinds = [
        getattr(events, name)
        for name in events.__all__
        if isinstance(getattr(events, name), type) and name not in ("Act", "Doer", "EffectLine", "Phase")
    ]
    lines = ["# Events and proposals", "", "Generated from `events.py`; a test holds it true to the registry.", ""]
    lines += ["| event | announced by | heard or answered by | what it says |", "|---|---|---|---|"]
    for kind in kinds:
        name = kind.__name__
        by = sorted(
            {
                p.relative_to(ROOT / "src/stepladder").parts[0]
                for p, text in sources.items()
                if re.search(rf"events\.{name}\(", text)
            }
        )
        hear = [reaction for _, reaction in events.listeners().get(kind, [])] + events.answers().get(kind, [])
        apps = sorted({r.__module__.split(".")[1] for r in hear})
        lines.append(
            f"| `{name}` | {', '.join(by)} | {', '.join(apps) or '–'} | {(kind.__doc__ or '').splitlines()[0]} |"
        )
    (ROOT / "docs/events.md").write_text("\n".join(lines) + "\n")
    (ROOT / "docs/registries.md").write_text(registries())


def registries() -> str:
    """What apps hand in: kinds of module with what plays them, standards of packages, kinds of notice."""
    from stepladder.library.kinds import kinds
    from stepladder.notices.kinds import notice_kinds
    from stepladder.playing.players import player_of
    from stepladder.playing.standards import standards
    from stepladder.reports.counted import every_counted, row_columns
    from stepladder.reports.groupings import groupings_of

    lines = ["# What apps hand in", "", "Generated from the registries; a test holds it true to them."]
    lines += ["", "## Kinds of module (`library/kinds`) and their players (`playing/players`)", ""]
    lines += ["| kind | becomes one | done | played by |", "|---|---|---|---|"]
    for kind in kinds():
        made = ", ".join(kind.extensions) or "made here"
        player = type(player_of(kind.name))
        lines.append(
            f"| {kind.name} | {made} | {kind.done_when({})} | `{player.__module__.split('.')[1]}` {player.__name__} |"
        )
    lines += ["", "## Standards of packages (`playing/standards.py`)", "", "| standard | its script |", "|---|---|"]
    lines += [f"| {standard.name} | `{standard.script}` |" for standard in standards()]
    lines += [
        "",
        "## Kinds of notice (`notices/kinds.py`)",
        "",
        "| kind | when | subject | fields |",
        "|---|---|---|---|",
    ]
    for notice in notice_kinds():
        fields = "; ".join(f"{{{name}}}: {says}" for name, says in notice.fields.items())
        lines.append(f"| {notice.name} | {notice.label} | {notice.subject} | {fields} |")
    lines += [
        "",
        "## What reports count (`reports/counted.py`), by what, and the columns of its rows",
        "",
        "| counted | figures | grouped by, beside periods | columns |",
        "|---|---|---|---|",
    ]
    for counted in every_counted():
        figures = ", ".join(figure.label for figure in counted.figures)
        groups = ", ".join(grouping.word for grouping in groupings_of(counted))
        columns = ", ".join(column.label for column in row_columns(counted))
        lines.append(f"| {counted.word} | {figures} | {groups} | {columns} |")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    main()
