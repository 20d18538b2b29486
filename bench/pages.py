"""The list of people, a chart and a team page: their cost and their queries, few people against many."""

from __future__ import annotations

import statistics
import time

from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from bench import check, company
from stepladder.accounts.actions import create_account
from stepladder.accounts.models import Account
from stepladder.charts.models import Chart
from stepladder.people.models import Person

TIMES = 5


def run(count: int, units: int) -> dict[str, tuple[float, int]]:
    """Page → (median seconds, queries) with so many people and units."""
    company.people(count, *company.found(units))
    admin = company.administrator()
    # The head of the last unit: nothing hangs below it, so the team is as large in a large company as in a small one.
    head = Person.objects.get(employee_number=f"N{units - 1:06d}")
    head.account = create_account(email="head@bench.example", name=head.name, roles=["learner"], by=company.BY)
    head.save(update_fields=["account"])
    chart = Chart.objects.get(kind=Chart.Kind.UNIT)
    found = {}
    for label, who, url in (
        ("people, first page", admin, reverse("people:list")),
        ("people, found by name", admin, reverse("people:list") + "?q=family0001"),
        ("chart of units", admin, reverse("charts:chart", args=[chart.pk])),
        ("team page", head.account, reverse("desk:team")),
        ("a person’s sheet", admin, reverse("people:person", args=[head.public_id])),
    ):
        found[label] = measured(who, url)
    return found


def measured(who: Account, url: str) -> tuple[float, int]:
    """What a page costs somebody: median seconds of a few times, and queries."""
    client, times = timed(who, url)
    with CaptureQueriesContext(connection) as queries:
        client.get(url)
    return statistics.median(times), len(queries)


def timed(who: Account, url: str, times: int = TIMES) -> tuple[Client, list[float]]:
    """Seconds that a page takes somebody, each time; and the client that is signed in as them."""
    client = Client()
    client.force_login(who)
    took = []
    for _ in range(times):
        began = time.perf_counter()
        answer = client.get(url, follow=True)
        # What is streamed is made as it is read.
        _ = answer.getvalue()
        took.append(time.perf_counter() - began)
        check(answer.status_code == 200, f"{url} answered {answer.status_code}")
    return client, took
