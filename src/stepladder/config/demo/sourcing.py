"""A folder that the deck office keeps, watched, with a sheet beside its files; and a list of pages of harbours."""

from __future__ import annotations

import os
from datetime import date, datetime, timedelta
from pathlib import Path

from django.conf import settings

from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.config.demo.crew import at
from stepladder.library.models import Binder
from stepladder.queue.actions import at_once
from stepladder.sources.actions import create_source
from stepladder.sources.looking import look
from stepladder.sources.models import Source

__all__ = ["make_sources"]

PAPERS = {
    "standing orders/fog.md": "# In fog\n\nSlow down to the speed at which you can stop in half of what you see.\n\n"
    "## Sound\n\nOne long blast every two minutes. The lookout stands forward, and says what is heard.\n",
    "standing orders/night watch.md": "# The night watch\n\nTwo awake on the bridge from sunset on.\n\n"
    "## Rounds\n\nEvery hour: car deck, engine room door, saloon. Write the time down.\n",
    "standing orders/wind.md": "# Wind\n\nFrom force 8 no lorry over four metres. From force 9 no crossing.\n",
    "piers/holm landing.txt": "Holm Landing\n\nThe ebb sets onto the pier from two hours after high water. Keep well up.\n",
    "piers/osier point.txt": "Osier Point\n\nMind the rock off the end at low springs: two boat lengths.\n",
}
SHEET = (
    "File,Title,Description,Minutes,Topics,Rights\n"
    "fog.md,Standing orders: in fog,How we go when nobody sees anything.,3,Seamanship,play and keep\n"
    "night watch.md,Standing orders: the night watch,,4,Working here,play and keep\n"
    "holm landing.txt,Holm Landing in the ebb,,2,Mooring,play only\n"
    "marram quay.txt,Marram Quay at night,,2,Mooring,play only\n"
)
LINKS = (
    "Link,Title,Minutes,Topics\n"
    "https://harbours.marramsound.example/holm,Holm Landing today,2,Mooring\n"
    "https://harbours.marramsound.example/osier,Osier Point today,2,Mooring\n"
    "https://weather.marramsound.example/sound,Weather on the Sound,3,Seamanship\n"
)


def make_sources(today: date) -> None:
    """Read weeks ago for the first time; since then one file is newer and one is missing."""
    keeper = Account.objects.get(name="Ines Okoro")
    root = Path(settings.SOURCE_ROOTS[0])
    papers = root / "deck office"
    begun, newer, gone = (at(today - timedelta(days=days)) for days in (40, 6, 2))
    for name, text in {**PAPERS, "about.csv": SHEET}.items():
        _write(papers / name, text, begun)
    _write(root / "harbour pages.csv", LINKS, begun)
    with clock.pinned(begun), at_once():
        deck = create_source(
            name="Papers of the deck office", kind="folder", place="deck office", sheet="about.csv",
            binder=Binder.objects.get(name="Deck"), language="en", tags="standing orders", by=keeper,
        )  # fmt: skip
        pages = create_source(
            name="Pages of the harbours", kind="links", place="harbour pages.csv", language="en",
            binder=Binder.objects.get(name="Passengers"), by=keeper,
        )  # fmt: skip
        # A second look takes over what the sheet says of what was worked out after the first.
        for source in (deck, deck, pages):
            _look(source)
    _write(papers / "standing orders/wind.md", PAPERS["standing orders/wind.md"] + "\nNor a bus.\n", newer)
    with clock.pinned(newer), at_once():
        _look(deck)
    (papers / "piers/osier point.txt").unlink()
    for when in (gone, gone + timedelta(minutes=2)):
        with clock.pinned(when), at_once():
            _look(deck)


def _look(source: Source) -> None:
    source.refresh_from_db()
    look(source)


def _write(path: Path, text: str, when: datetime) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text, encoding="utf-8")
    os.utime(path, (when.timestamp(), when.timestamp()))
