"""A manager's people by course: who is late with it, and when it is needed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

import numpy as np
from numpy.typing import NDArray

from stepladder.core.columns import RequirementColumns
from stepladder.core.requirements import LATE
from stepladder.courses.models import Course
from stepladder.desk.day_strips import DayStrip, day_strip
from stepladder.desk.team import SOON
from stepladder.people.models import Person
from stepladder.people.name_order import names
from stepladder.web.tables import LazyRows

__all__ = ["COURSE_HEADS", "COURSE_SORTS", "CourseLine", "TeamCourses"]

COURSE_HEADS = [
    ("Course", "course"),
    ("Asked", "asked"),
    ("Late", "late"),
    ("Who", ""),
    ("Soon", "soon"),
    ("A year of it", ""),
]
COURSE_SORTS = ("late", "course", "asked", "soon")
# So many of who is late are named in a line; the list of the course has them all.
NAMED = 3


@dataclass(frozen=True)
class CourseLine:
    """A course that is asked of a team: of how many, how many are late or soon to be, and the first of the late."""

    course: Course
    asked: int
    late: int
    soon: int
    late_people: list[Person]
    strip: DayStrip


class TeamCourses(LazyRows[CourseLine]):
    """Every course that is asked of a team, in the order of a key of COURSE_SORTS, with a minus for the other way round."""

    def __init__(self, asked: RequirementColumns, day: date, sort: str) -> None:
        self._asked, self._day = asked, day
        most = int(asked.course.max(initial=0)) + 1
        self._counts = {
            "asked": np.bincount(asked.course, minlength=most),
            "late": np.bincount(asked.course[asked.stands(LATE)], minlength=most),
            "soon": np.bincount(asked.course[asked.stands(SOON)], minlength=most),
        }
        keys = np.flatnonzero(self._counts["asked"])
        by_title = {key: n for n, key in enumerate(Course.objects.order_by("title", "pk").values_list("pk", flat=True))}
        title: NDArray[np.int64] = np.array([by_title[key] for key in keys.tolist()], dtype=np.int64)
        key = sort.lstrip("-")
        first = title if key == "course" else -self._counts[key][keys]
        self._keys: NDArray[np.int64] = keys[np.lexsort((title, -first if sort.startswith("-") else first))]

    def __len__(self) -> int:
        return len(self._keys)

    def made(self, start: int, stop: int) -> list[CourseLine]:
        keys = self._keys[start:stop].tolist()
        courses = Course.objects.in_bulk(keys)
        of_courses = {key: self._asked.where(self._asked.course == key) for key in keys}
        late = {key: _first_late(asked) for key, asked in of_courses.items()}
        people = Person.objects.in_bulk({person for of in late.values() for person in of})
        return [
            CourseLine(
                courses[key],
                int(self._counts["asked"][key]),
                int(self._counts["late"][key]),
                int(self._counts["soon"][key]),
                [people[person] for person in late[key]],
                day_strip(of_courses[key], self._day),
            )
            for key in keys
        ]


def _first_late(asked: RequirementColumns) -> list[int]:
    late: NDArray[np.int32] = asked.person[asked.stands(LATE)]
    found: list[int] = late[np.argsort(names().order[late])][:NAMED].tolist()
    return found
