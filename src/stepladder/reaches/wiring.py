"""What reaches hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.charts import index
from stepladder.journal import verbs
from stepladder.reaches import undoing
from stepladder.web.frame import join_rung

verbs.register(
    create_group="made the group {object}",
    edit_group="edited",
    change_group="means other people now",
)
undoing.register()
join_rung(4, "reaches")
index.add_entry(6, "Groups", "reaches:groups", verb="change groups")
