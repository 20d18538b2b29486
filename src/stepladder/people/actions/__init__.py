"""Everything that writes people, their placements, the charts, leads and groups."""

from stepladder.people.actions.charts import (
    add_chart,
    add_node,
    change_site,
    close_node,
    keep_names_true,
    lock_node,
    make_main_charts,
    move_node,
    order_nodes,
    rename_chart,
    rename_node,
)
from stepladder.people.actions.groups import change_group, create_group
from stepladder.people.actions.leading import end_lead, give_lead
from stepladder.people.actions.placing import (
    about,
    edit_person,
    end_leave,
    end_placement,
    hire,
    leave_organisation,
    move,
    record_leave,
)

__all__ = [
    "about",
    "add_chart",
    "add_node",
    "change_group",
    "change_site",
    "close_node",
    "create_group",
    "edit_person",
    "end_lead",
    "end_leave",
    "end_placement",
    "give_lead",
    "hire",
    "keep_names_true",
    "leave_organisation",
    "lock_node",
    "make_main_charts",
    "move",
    "move_node",
    "order_nodes",
    "record_leave",
    "rename_chart",
    "rename_node",
]
