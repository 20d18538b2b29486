"""What stands on training records of what people had elsewhere."""

from __future__ import annotations

from datetime import date

from django.http import HttpRequest
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.outside.queries import history_of, to_confirm
from stepladder.people.models import Person
from stepladder.records.forms import read_clocks
from stepladder.records.index_groups import IndexGroup, IndexLink
from stepladder.web.margin import Panel

__all__ = ["record_section", "waiting_group"]


def record_section(request: HttpRequest, person: Person, day: date) -> Panel | None:
    """What somebody had elsewhere by the clocks of the page, and the ways to add to it."""
    clocks = read_clocks(request.GET)
    rows = list(history_of(person, day=clocks.asked.day, known_on=clocks.known.day))
    is_own = person.account_id is not None and person.account_id == getattr(request.user, "pk", None)
    may_record = clocks.is_today and bool(policy.may(request.user, "change records", person))
    if not rows and not is_own and not may_record:
        return None
    add = ""
    if is_own and clocks.is_today:
        add = reverse("outside:ask")
    elif may_record:
        add = reverse("outside:record", args=[person.public_id])
    context = {"rows": rows, "add": add, "is_own": is_own, "suffix": clocks.suffix}
    return Panel("From outside and from before", "outside/section.html", context)


def waiting_group(request: HttpRequest) -> IndexGroup | None:
    """What waits to be confirmed, where anything does; and the way in for files."""
    if not policy.may(request.user, "change records"):
        return None
    count = to_confirm(request.user).count()
    waiting, files = reverse("outside:waiting"), reverse("outside:files")
    links = [IndexLink(f"To confirm: {count}", waiting, request.path == waiting)] if count else []
    return IndexGroup("From outside", [*links, IndexLink("From a file…", files, request.path == files)])
