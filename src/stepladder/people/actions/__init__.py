"""Everything that writes people, their placements and the charts."""

from stepladder.people.actions.charts import add_node, make_main_charts, rename_node
from stepladder.people.actions.placing import (
    about,
    edit_person,
    end_placement,
    hire,
    leave_organisation,
    move,
    record_leave,
)

__all__ = [
    "about",
    "add_node",
    "edit_person",
    "end_placement",
    "hire",
    "leave_organisation",
    "make_main_charts",
    "move",
    "record_leave",
    "rename_node",
]
