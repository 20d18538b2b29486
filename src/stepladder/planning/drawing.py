"""A plan as a picture: a week of it, a line a day, hours across, sessions as bars. In the units of the drawing's view box."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from stepladder.planning.models import PlanSession

__all__ = ["PlanBar", "PlanLine", "PlanPicture", "draw_week"]

LABEL, WIDTH, HEAD, LANE, GAP = 128, 1000, 24, 38, 6
FIRST, LAST = 8, 17


@dataclass(frozen=True)
class PlanBar:
    """A session on its line."""

    row: PlanSession
    x: float
    y: float
    width: float
    title: str
    says: str
    taken: float

    @property
    def foot(self) -> float:
        return self.y + LANE - 7

    @property
    def taken_width(self) -> float:
        return self.taken * self.width

    @property
    def height(self) -> int:
        return LANE - 4


@dataclass(frozen=True)
class PlanLine:
    """A day."""

    day: date
    y: float
    height: float
    bars: list[PlanBar]


@dataclass(frozen=True)
class PlanPicture:
    """The whole drawing."""

    lines: list[PlanLine]
    hours: list[tuple[int, float]]
    height: float
    width: int = WIDTH
    head: int = HEAD


def draw_week(rows: Sequence[PlanSession], first: date, minutes: int, seats: int) -> PlanPicture:
    """The sessions of seven days; of weekends those on which something is held."""
    begins = [row.start.hour for row in rows]
    ends = [row.start.hour + -(-(row.start.minute + minutes) // 60) for row in rows]
    earliest, latest = min([FIRST, *begins]), max([LAST, *ends])
    hour = (WIDTH - LABEL) / (latest - earliest)
    lines, y = [], float(HEAD)
    for day in (first + timedelta(days=n) for n in range(7)):
        of_day = [row for row in rows if row.day == day]
        if day.weekday() > 4 and not of_day:
            continue
        bars, lanes = [], list[float]()
        for row in sorted(of_day, key=lambda row: (row.start, row.pk)):
            at = row.start.hour + row.start.minute / 60
            lane = next((n for n, end in enumerate(lanes) if end <= at), len(lanes))
            lanes[lane : lane + 1] = [at + minutes / 60]
            room = min(row.room.seats, seats) if row.room else len(row.people)
            place = row.room.name if row.room else "filled up"
            bars.append(
                PlanBar(
                    row,
                    LABEL + (at - earliest) * hour,
                    y + lane * LANE + GAP / 2,
                    hour * minutes / 60,
                    place,
                    f"{row.start:%H:%M} · {len(row.people)} of {room}",
                    len(row.people) / max(room, 1),
                )
            )
        height = max(len(lanes), 1) * LANE + GAP
        lines.append(PlanLine(day, y, height, bars))
        y += height
    hours = [(n, LABEL + (n - earliest) * hour) for n in range(earliest, latest + 1)]
    return PlanPicture(lines, hours, y)
