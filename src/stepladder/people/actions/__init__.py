"""Everything that writes people, their placements, leave, fields and sign-ins."""

from stepladder.people.actions.fields import add_field, change_field, set_values
from stepladder.people.actions.many import Done, end_many, leave_many, move_many
from stepladder.people.actions.placing import (
    about,
    correct_first_day,
    edit_person,
    end_leave,
    end_placement,
    hire,
    leave_organisation,
    move,
    record_leave,
)
from stepladder.people.actions.sign_ins import give_role_many, invite_many, set_roles_and_parts, shut_sign_ins

__all__ = [
    "Done",
    "about",
    "add_field",
    "change_field",
    "correct_first_day",
    "edit_person",
    "end_leave",
    "end_many",
    "end_placement",
    "give_role_many",
    "hire",
    "invite_many",
    "leave_many",
    "leave_organisation",
    "move",
    "move_many",
    "record_leave",
    "set_roles_and_parts",
    "set_values",
    "shut_sign_ins",
]
