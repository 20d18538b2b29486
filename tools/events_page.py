"""Writes docs/events.md from the registry: `python -m tools.events_page`."""

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


if __name__ == "__main__":
    main()
