"""What keeping hands in to apps nearer the ground."""

from __future__ import annotations

from django.http import HttpRequest
from django.urls import reverse

from stepladder import daily
from stepladder.accounts import policy
from stepladder.charts import index
from stepladder.journal import verbs
from stepladder.keeping import tasks
from stepladder.keeping.who import obstacle
from stepladder.people.models import Person
from stepladder.queue.kinds import describe
from stepladder.web import margin
from stepladder.web.frame import join_rung


def shorten_verb(request: HttpRequest, person: Person) -> margin.VerbLink | None:
    """On the sheet of who has left: keep their number only."""
    if not policy.may(request.user, "shorten people") or obstacle(person):
        return None
    return margin.VerbLink("Shorten to a number…", reverse("keeping:person", args=[person.public_id]))


join_rung(4, "keeping")
index.add_entry(8, "Keeping", "keeping:keeping", verb="shorten people")
margin.add_verb("person", 90, shorten_verb)
verbs.register(keep_number_only="is kept as a number only; {rows} facts and {entries} entries without words")
daily.add("keeping", tasks.hand_over_due)
describe(tasks.hand_over_due, lambda _: "looking whose names are kept no longer")
describe(tasks.shorten, lambda _: "keeping only the number of somebody who left")
