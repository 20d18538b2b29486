"""The week as a picture: a line for each day or room, hours across, sessions as bars.

Everything is in the units of the drawing's view box. What is drawn is told by the table below it as well.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from math import ceil

from stepladder import clock
from stepladder.timetable.models import Room, Session
from stepladder.timetable.queries import SessionRow

__all__ = ["Bar", "Line", "Picture", "draw_days", "draw_rooms"]

LABEL, WIDTH, HEAD = 128, 1000, 24
LANE, GAP = 38, 6
# The hours of a day without sessions; else those that are used are drawn, with one before and one after to plan in.
FIRST_HOUR, LAST_HOUR, LEAST_HOURS = 8, 17, 6
# About how wide a figure below a title is drawn.
FIGURE = 6.8


@dataclass(frozen=True)
class Bar:
    """A meeting on its line: where it stands, what is written in it, how it is marked, and which share of its seats (0 to 1) is *taken*.

    *whole* is its name and what a pointer is shown: it begins with what is written in it, as WCAG 2.5.3 asks.
    """

    x: float
    y: float
    width: float
    title: str
    description: str
    whole: str
    mark: str
    session: Session
    taken: float
    height: int = LANE - 4

    @property
    def foot(self) -> float:
        """Where the line of its seats stands."""
        return self.y + self.height - 3

    @property
    def taken_width(self) -> float:
        """How much of its foot is drawn full: the share of seats that are taken."""
        return self.taken * self.width

    @property
    def room_for_text(self) -> float:
        """How wide the text may be; the drawing cuts off the rest."""
        return max(self.width - 12, 0)


@dataclass(frozen=True)
class Line:
    """A day or a room, with the bars on it."""

    label: str
    detail: str
    day: date
    room: str
    y: float
    height: float
    bars: list[Bar]
    is_today: bool = False


@dataclass(frozen=True)
class Picture:
    """The whole drawing: its lines, and the hours across."""

    lines: list[Line]
    hours: list[tuple[int, float]]
    height: float
    per_hour: float
    first_hour: int
    label: int = LABEL
    width: int = WIDTH
    head: int = HEAD

    @property
    def now(self) -> float | None:
        """Where the present hour stands; None outside the hours drawn."""
        local = clock.now().astimezone(clock.zone())
        x = LABEL + (local.hour + local.minute / 60 - self.first_hour) * self.per_hour
        return x if LABEL <= x <= WIDTH else None


@dataclass
class _Piece:
    """What of a meeting falls on one day: hours from its midnight."""

    row: SessionRow
    day: date
    start: float
    end: float
    description: str


@dataclass
class _Lanes:
    ends: list[float] = field(default_factory=list)

    def place(self, piece: _Piece) -> int:
        """The first lane that is free when the piece begins."""
        for lane, end in enumerate(self.ends):
            if end <= piece.start:
                self.ends[lane] = piece.end
                return lane
        self.ends.append(piece.end)
        return len(self.ends) - 1


def draw_days(rows: Sequence[SessionRow], first: date, days: int, busy: set[int]) -> Picture:
    """A line a day; sessions at the same time stand below each other."""
    pieces = _pieces(rows, first, days)
    lines = [
        (f"{day:%a} {day.day} {day:%b}", "", day, "", [p for p in pieces if p.day == day])
        for day in (first + timedelta(days=n) for n in range(days))
    ]
    return _picture(lines, busy)


def draw_rooms(rows: Sequence[SessionRow], day: date, rooms: Iterable[Room], busy: set[int]) -> Picture:
    """A line a room for one day, and one for what is live online."""
    pieces = _pieces(rows, day, 1)
    lines = [
        (
            room.name,
            f"{room.venue}, {room.seats}",
            day,
            room.public_id,
            [p for p in pieces if p.row.session.room == room],
        )
        for room in rooms
    ]
    lines.append(("Live online", "", day, "", [p for p in pieces if p.row.session.room is None]))
    return _picture(lines, busy)


def _pieces(rows: Sequence[SessionRow], first: date, days: int) -> list[_Piece]:
    zone = clock.zone()
    found = []
    for row in rows:
        for number, meeting in enumerate(row.meetings):
            start, end = meeting.starts_at.astimezone(zone), meeting.ends_at.astimezone(zone)
            description = f"{start:%H:%M}–{end:%H:%M}"
            if len(row.meetings) > 1:
                description += f", {number + 1} of {len(row.meetings)}"
            for n in range(days):
                day = first + timedelta(days=n)
                begins, ends = _hour(start, day), _hour(end, day)
                if ends > 0 and begins < 24:
                    found.append(_Piece(row, day, max(begins, 0), min(ends, 24), description))
    return sorted(found, key=lambda piece: (piece.day, piece.start, piece.end, piece.row.session.pk))


def _hour(at: datetime, day: date) -> float:
    """A wall time in hours from a day's midnight, whatever the clocks do in between."""
    since = at.replace(tzinfo=None) - datetime.combine(day, time())
    return since.total_seconds() / 3600


def _picture(lines: Sequence[tuple[str, str, date, str, list[_Piece]]], busy: set[int]) -> Picture:
    pieces = [piece for line in lines for piece in line[4]]
    first, last = _hours_drawn(pieces, any(line[2] == clock.today() for line in lines))
    per_hour = (WIDTH - LABEL) / (last - first)
    drawn, y = [], float(HEAD)
    for label, detail, day, room, own in lines:
        lanes = _Lanes()
        bars = [_bar(piece, lanes.place(piece), y, first, per_hour, busy) for piece in own]
        height = max(len(lanes.ends), 1) * LANE + GAP
        drawn.append(Line(label, detail, day, room, y, height, bars, day == clock.today()))
        y += height
    hours = [(hour, LABEL + (hour - first) * per_hour) for hour in range(first, last + 1)]
    return Picture(drawn, hours, y, per_hour, first)


def _hours_drawn(pieces: Sequence[_Piece], is_now: bool) -> tuple[int, int]:
    """From which hour to which: those that are used, and the present one where its day is drawn."""
    starts, ends = [p.start for p in pieces], [p.end for p in pieces]
    if is_now:
        local = clock.now().astimezone(clock.zone())
        starts.append(local.hour)
        ends.append(local.hour + 1)
    if not pieces:
        return min([FIRST_HOUR, *(int(s) for s in starts)]), max([LAST_HOUR, *(ceil(e) for e in ends)])
    first, last = max(int(min(starts)) - 1, 0), min(ceil(max(ends)) + 1, 24)
    while last - first < LEAST_HOURS:
        first, last = max(first - 1, 0), min(last + 1, 24)
    return first, last


def _bar(piece: _Piece, lane: int, y: float, first: int, per_hour: float, busy: set[int]) -> Bar:
    row = piece.row
    width = max((piece.end - piece.start) * per_hour - 2, 6)
    seats = f"{row.booked} of {row.session.capacity}"
    mark, told = "", seats
    if row.session.state == Session.State.HELD:
        mark, told = "held", f"{row.attended} attended"
    elif row.session.pk in busy:
        mark, told = "clash", f"clash, {seats}"
    elif row.waits_for_sign_off:
        mark, told = "over", "to sign off"
    elif row.waiting:
        mark, told = "full", f"{seats}, {row.waiting} wait{'s' if row.waiting == 1 else ''}"
    elif not row.free:
        mark, told = "full", "full"
    title, start = row.session.module.title, piece.description.split("–")[0]
    description = f"{start} · {told}"
    # A figure that is cut off is a wrong figure: as many whole words as there is room for.
    fitting = [text for text in (description, description.split(",")[0], start) if len(text) * FIGURE <= width - 12]
    return Bar(
        LABEL + (piece.start - first) * per_hour,
        y + GAP / 2 + lane * LANE + 2,
        width,
        title,
        fitting[0] if fitting else "",
        f"{title} {description} ({piece.description}, {row.session.place})",
        mark,
        row.session,
        min(row.booked / row.session.capacity, 1.0),
    )
