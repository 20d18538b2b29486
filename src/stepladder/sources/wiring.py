"""What sources hand in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily
from stepladder.journal import verbs
from stepladder.library import columns, finding, own_pictures, places
from stepladder.queue.kinds import describe
from stepladder.sources import panels, queries, tasks
from stepladder.web import bodies, margin
from stepladder.web.frame import join_rung

join_rung(2, "sources")
places.add_place("Sources", "sources:sources", verb="keep sources")
finding.add_condition("source", "any source", queries.choices, queries.come_from)
bodies.take_long("sources:picture", own_pictures.MOST_BYTES + 65_536)
columns.add_column("Source", queries.names_of)
margin.add_panel("module", 5, panels.source_panel)
daily.add_frequent(tasks.enqueue_looks)
for task in (tasks.look_at_source, tasks.settle_source):
    describe(task, tasks.words)
verbs.register(
    create_source="made the source, of “{place}”",
    change_source="changed the source, of “{place}”",
    switch_source="switched it {how}",
    take_details="details of {count} as the source says them",
)
