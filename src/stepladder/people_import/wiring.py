"""What people_import hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.charts import index
from stepladder.journal import undoing, verbs
from stepladder.people.undoing import of_people
from stepladder.people_import import tasks
from stepladder.people_import.forms import MOST_BYTES
from stepladder.queue.kinds import describe
from stepladder.web import bodies
from stepladder.web.frame import join_rung

verbs.register(
    receive_import="received, with {rows} rows",
    keep_meaning="takes “{text}” for {what} from now on",
    import_people="imported from {file}: {said}",
)
undoing.add_verbs("change people", "import_people", whose=of_people)
join_rung(4, "people_import")
index.add_entry(
    4,
    "Imports",
    "people_import:imports",
    verb="import people",
    current=("people_import:imports", "people_import:import"),
)
bodies.take_long("people_import:imports", MOST_BYTES + 1024**2)
for work in (tasks.look_through_import, tasks.apply_import, tasks.return_import):
    describe(work, tasks.words)
