"""What charts hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily, events
from stepladder.charts import index, models, parts, reactions, tasks, undoing
from stepladder.journal import sealing, verbs
from stepladder.web.frame import join_rung

sealing.watch(models.AdministeredPart, models.Chart, models.Unit, models.Position, models.Site)
verbs.register(
    add_chart="made the chart {object}",
    rename_chart="renamed, from “{before}” to “{after}”",
    add_node="added to {chart}",
    add_nodes="has {names} from the beginning",
    rename_node="called “{after}” instead of “{before}” from {day}",
    move_node="moved from {before} to {after}, from {day}",
    change_site="at the site “{site}” from {day}",
    close_node="closed with {day}",
    lock_node="locked: only who manages the charts places people there",
    unlock_node="no longer locked",
    order_nodes="put behind “{after}” in {chart}",
    carry_charts="carried into charts with days",
)
events.listen(events.InstallationSetUp, reactions.on_set_up, phase=events.Phase.DERIVE)
parts.register()
undoing.register()
join_rung(4, "charts")
index.add_entry(2, "Charts", "charts:charts", verb="see people", current=("charts:chart",))
daily.add("charts", tasks.keep_names_true)
