"""A path of everybody at once: the same as one by one."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.columns import LinkColumns, WaiverColumns, latest_links
from stepladder.core.path_columns import path_columns
from stepladder.core.paths import Plan, Stage, path_link
from stepladder.core.validity import link_on
from tests.core.test_board import columns, day, day_numbers, ordinal, some_links, some_spans

PATH, COURSES = 7, (1, 2, 3, 4, 5)
PLAN = Plan((Stage((1, 2)), Stage((), None, (3, 4, 5), 2)))
# Of a person: for each course the links of its chain, and the waivers.
some_people = st.lists(
    st.tuples(*(st.tuples(some_links, st.lists(some_spans, max_size=2)) for _ in COURSES)), min_size=1, max_size=3
)


def at_once(people, on):
    links = [
        {
            "person": person,
            "course": course,
            "first": ordinal(link.first),
            "taken": ordinal(link.taken),
            "valid_until": ordinal(link.valid_until),
            "window": link.terms.window_days,
            "grace": link.terms.grace_days,
        }
        for person, of_person in enumerate(people)
        for course, (chain_, _) in zip(COURSES, of_person, strict=True)
        for link in chain_
    ]
    waivers = [
        {"person": person, "course": course, "first": ordinal(span.first), "last": ordinal(span.last)}
        for person, of_person in enumerate(people)
        for course, (_, spans) in zip(COURSES, of_person, strict=True)
        for span in spans
    ]
    latest = latest_links(columns(LinkColumns, links), day=on, known_on=on)
    held, waived = path_columns(PLAN, PATH, np.arange(len(people)), latest, columns(WaiverColumns, waivers), day=on)
    assert set(held.course.tolist()) | set(waived.course.tolist()) <= {PATH}
    rows = zip(held.taken.tolist(), held.valid_until.tolist(), held.window.tolist(), held.grace.tolist(), strict=True)
    return dict(zip(held.person.tolist(), rows, strict=True)), set(waived.person.tolist())


@given(some_people, day_numbers)
def test_a_path_holds_for_everybody_as_it_does_one_by_one(people, number):
    on = day(number)
    held, waived = {}, set()
    for person, of_person in enumerate(people):
        of_course = dict(zip(COURSES, of_person, strict=True))
        free = {course for course, (_, spans) in of_course.items() if any(on in span for span in spans)}
        link = path_link(PLAN, {course: link_on(links, on) for course, (links, _) in of_course.items()}, free)
        if link:
            terms = link.terms
            held[person] = (ordinal(link.taken), ordinal(link.valid_until), terms.window_days, terms.grace_days)
        if free == set(COURSES):
            waived.add(person)
    assert at_once(people, on) == (held, waived)
