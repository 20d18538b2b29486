"""A file of 41 starters as it comes from another department: a title over the heads, two orders of days, trailing spaces, a number
twice, a unit that is misspelt, a field that is wrong, managers by number, and one day that could be another."""

from __future__ import annotations

import io
from datetime import date, timedelta

import xlsxwriter

HEADS = [
    "Personnel no.",
    "First name",
    "Surname",
    "E-mail",
    "Phone",
    "Department",
    "Job title",
    "Start date",
    "Manager no.",
]
COUNT = 41
GIVEN = ("Arlo", "Bryn", "Cora", "Dell", "Esme", "Finley", "Gwen", "Hollis", "Ilse", "Joss", "Kit")
FAMILY = ("Marwick", "Nairn", "Ostler", "Prowse", "Quill", "Rudd", "Selkirk")


def day_of_start(today: date) -> date:
    """A day soon that can only be read one way in figures, and whose month and fifth day could be read both ways."""
    day = today + timedelta(days=12)
    while day.day <= 12 or day.month == 5:
        day += timedelta(days=1)
    return day


def rows(today: date, *, manager: str) -> list[list[str]]:
    """The rows below the heads; the manager is somebody here, by number."""
    start = day_of_start(today)
    made = []
    for n in range(COUNT):
        given, family = GIVEN[n % len(GIVEN)], FAMILY[n % len(FAMILY)]
        written = f"{start:%d/%m/%Y}" if n % 2 else f"{start:%m/%d/%Y}"
        made.append(
            [
                f"MS5{n:03d} ",
                f" {given}",
                f"{family}  ",
                f"{given}.{family}.{n}@marram.example".lower(),
                f"+00 555 01{n:02d}",
                "Dunlin" if n % 3 else "Knot ",
                "Deckhand",
                written,
                manager if n else "",
            ]
        )
    # The fourth was copied and its number forgotten; the fifth is misspelt; the sixth has no number to call.
    made[3][0] = made[2][0]
    made[4][5] = "Dunlyn"
    made[5][4] = "ask her"
    # The fifth of that month, or of the month that is May.
    made[6][7] = f"05/{start:%m}/{start:%Y}" if start.month <= 12 else ""
    return made


def workbook(today: date, *, manager: str) -> bytes:
    """The file as XLSX: a sheet that only explains, and the people under a title that is as wide as the table."""
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        notes = book.add_worksheet("Read me")
        notes.write(0, 0, "New starters, as agreed. Ask the office if something is missing.")
        sheet = book.add_worksheet("Starters")
        sheet.merge_range(0, 0, 0, len(HEADS) - 1, "New starters of next month")
        for line, row in enumerate([HEADS, *rows(today, manager=manager)], 2):
            sheet.write_row(line, 0, row)
    return out.getvalue()
