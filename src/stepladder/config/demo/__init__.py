"""The demo: Marram Sound Ferries, an invented island ferry operator. The same day gives the same data."""

from __future__ import annotations

import random
from collections.abc import Callable
from datetime import timedelta

from django.db import transaction

from stepladder import clock, identity
from stepladder.accounts import organisation
from stepladder.accounts.models import Organisation
from stepladder.config.demo import (
    content,
    crew,
    deck,
    elsewhere,
    history,
    learned,
    offering,
    paths,
    quizzes,
    reporting,
    sessions,
    sourcing,
    telling,
    watching,
)
from stepladder.journal.actions import Named, record
from stepladder.queue.actions import at_once
from stepladder.search import index

__all__ = ["load"]

SEED = 20270401


def load(say: Callable[[str], None]) -> None:
    """Fill an empty installation. One transaction: an interrupted load leaves nothing."""
    rng = random.Random(SEED)  # noqa: S311 - made-up data must come out the same each time
    with transaction.atomic(), identity.seeded(SEED), at_once():
        today = clock.today()
        Organisation.objects.create(name="Marram Sound Ferries", zone="Europe/London")
        organisation.forget()
        say("people")
        with clock.pinned(crew.at(today - timedelta(days=4000))):
            charts = crew.make_charts()
            record("load_demo", by=crew.BY, about=Named("organisation", "", "Marram Sound Ferries"))
        people = crew.make_people(charts, today, rng)
        crew.make_changes(charts, people, today, rng)
        crew.make_reorganisation(charts, today)
        crew.make_leads(charts, people, today)
        crew.make_groups(charts, people, today)
        crew.make_fields(people, today, rng)
        with clock.pinned(crew.at(today - timedelta(days=content.LIBRARY_AGE + 1))):
            crew.make_accounts(people)
        say("modules and courses")
        content.make_library(today)
        sessions.make_session_modules(today, content.LIBRARY_AGE)
        content.make_courses(today)
        deck.name_bosuns(today)
        content.make_latest(today)
        sourcing.make_sources(today)
        say("two years of assignments and completions")
        history.make_assignments(charts, today)
        learn = history.make_history(today, rng)
        sessions.teach_in_rooms(today, history.PRESENT_DAYS)
        paths.make_paths(charts, today, history.PRESENT_DAYS)
        history.make_present(today, rng, learn)
        watching.make_watching(today)
        quizzes.make_papers(today)
        deck.make_sign_offs(today)
        offering.make_offers(charts, today, rng)
        paths.make_programme(today)
        paths.make_own_path(today)
        say("sessions")
        sessions.make_sessions(today, history.PRESENT_DAYS - 1)
        learned.make_time_spent()
        telling.make_rules(today)
        telling.write_to_crew(today)
        elsewhere.make_outside(today)
        reporting.keep_reports(today)
        reporting.prove_fire(today)
        crew.make_import(today)
        index.rebuild()
