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
from stepladder.people.actions.fields import add_field, change_field, set_values
from stepladder.people.actions.groups import change_group, create_group
from stepladder.people.actions.leading import end_lead, give_lead
from stepladder.people.actions.many import Done, end_many, leave_many, move_many
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
from stepladder.people.actions.sign_ins import (
    give_role_many,
    invite_many,
    set_roles_and_parts,
    shut_sign_ins,
)

__all__ = [
    "Done",
    "about",
    "add_chart",
    "add_field",
    "add_node",
    "change_field",
    "change_group",
    "change_site",
    "close_node",
    "create_group",
    "edit_person",
    "end_lead",
    "end_leave",
    "end_many",
    "end_placement",
    "give_lead",
    "give_role_many",
    "hire",
    "invite_many",
    "keep_names_true",
    "leave_many",
    "leave_organisation",
    "lock_node",
    "make_main_charts",
    "move",
    "move_many",
    "move_node",
    "order_nodes",
    "record_leave",
    "rename_chart",
    "rename_node",
    "set_roles_and_parts",
    "set_values",
    "shut_sign_ins",
]
