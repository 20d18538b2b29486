"""Every public action that writes asks the policy for a verb, and for an object where there is one."""

import ast
from pathlib import Path

import pytest

from stepladder.accounts import policy

ROOT = Path(__file__).resolve().parents[2] / "src/stepladder"
MODULES = sorted(
    [
        *ROOT.glob("*/actions.py"),
        *ROOT.glob("*/actions/*.py"),
        ROOT / "accounts/sign_in.py",
        ROOT / "courses/paths.py",
        ROOT / "courses/keeping.py",
    ]
)
# Actions that ask nothing themselves, and why that is right.
ASK_NOTHING = {
    "people.check_rank": "is itself a question, beside the policy's",
    "people.holding_more": "is itself a question, beside the policy's",
    "courses.keeper_of": "is itself a question, beside the policy's",
    "journal.record": "writes down what was allowed",
    "accounts.create_account": "called by set-up and by inviting, which ask",
    "timetable.fill_freed_seats": "follows from an act that was allowed",
}
# Actions that ask without an object, and why there is none.
WITHOUT_OBJECT = {
    "assignments.assign": "new; what it reaches is narrowed to the part",
    "assignments.remind": "many; narrowed to those whom one may remind",
    "desk.run_again": "a task of the installation",
    "desk.put_away": "a task of the installation",
    "learning.complete_by_attendance": "asked of the session by signing off",
    "learning.revoke_attendance": "asked of the session by taking back",
    "library.create_binder": "new",
    "planning.ask_plan": "new; narrowed to those whom one may book",
    "planning.return_plan": "plans are the organisation's; administrators only",
    "planning.set_out": "plans are the organisation's; administrators only",
    "planning.take_over": "plans are the organisation's; administrators only",
    "timetable.set_room_hours": "rooms are the organisation's; administrators only",
    "timetable.set_teaching": "what may be planned; administrators only",
    "evidence.ask_pack": "new; narrowed to those whose records one may open",
    "keeping.set_years": "the organisation's; administrators only",
    "reports.ask_file": "new; with the rows that one may see",
    "reports.keep_report": "one's own, new or anew",
    "topics.add_topic": "new",
    "topics.move_topic": "the list is the organisation's; administrators only",
    "topics.remove_topic": "the list is the organisation's; administrators only",
    "topics.rename_topic": "the list is the organisation's; administrators only",
    "messaging.write": "many; narrowed to those whom one may write to",
    "notices.send_again": "many; administrators only",
    "notices.set_wording": "the words are the organisation's; administrators only",
    "telling.add_rule": "new; administrators only",
    "telling.set_quiet_days": "the organisation's; administrators only",
    "charts.add_chart": "new",
    "people.add_field": "new",
    "reaches.create_group": "new",
    "leads.give_lead": "new",
    "people.give_role_many": "many; administrators only",
    "people.hire": "new; the unit is asked for beside it",
    "people.invite_many": "many; narrowed to those whom one may invite",
    "people_import.keep_import": "new",
    "people_import.read_import": "new",
    "people_import.receive_import": "new",
    "people.move_many": "many; narrowed to those whom one may change, and the unit is asked for",
    "people.end_many": "many; narrowed to those whom one may change",
    "people.leave_many": "many; narrowed to those whom one may change",
    "timetable.add_room": "new",
    "timetable.plan_series": "new",
    "timetable.plan_session": "new",
}


def asked_in(function, functions, depth=0):
    """(verb, whether an object is named) of every question that a function asks, itself or by the helpers of its file."""
    for node in ast.walk(function):
        if not isinstance(node, ast.Call):
            continue
        name = getattr(node.func, "attr", getattr(node.func, "id", ""))
        if name in ("require", "visible") and isinstance(node.args[1], ast.Constant):
            yield node.args[1].value, len(node.args) > 2 and name == "require"
        elif name == "require" and getattr(getattr(node.args[1], "func", None), "id", "") == "to_change":
            # Of a course or a path (courses.permissions).
            yield from ((verb, len(node.args) > 2) for verb in ("change courses", "build paths"))
        elif name in functions and depth < 2 and functions[name] is not function:
            yield from asked_in(functions[name], functions, depth + 1)


def public_actions():
    for path in MODULES:
        tree = ast.parse(path.read_text())
        app = path.relative_to(ROOT).parts[0]
        functions = {node.name: node for node in tree.body if isinstance(node, ast.FunctionDef)}
        exported = next(
            (
                ast.literal_eval(node.value)
                for node in tree.body
                if isinstance(node, ast.Assign) and getattr(node.targets[0], "id", "") == "__all__"
            ),
            [],
        )
        for name in exported:
            function = functions.get(name)
            if function and "by" in [a.arg for a in function.args.args + function.args.kwonlyargs]:
                yield f"{app}.{name}", set(asked_in(function, functions))


ACTIONS = dict(public_actions())


@pytest.mark.parametrize("name", sorted(ACTIONS))
def test_every_action_names_its_verb_and_its_object(name):
    asked = ACTIONS[name]
    if name in ASK_NOTHING:
        assert not asked, f"{name} asks by now: take it off the list"
        return
    assert asked, f"{name} asks the policy nothing"
    assert {verb for verb, _ in asked} <= set(policy.VERBS)
    if name not in WITHOUT_OBJECT:
        assert any(has_object for _, has_object in asked), f"{name} names no object"


def test_the_exceptions_are_of_actions_that_there_are():
    assert set(ASK_NOTHING) | set(WITHOUT_OBJECT) <= set(ACTIONS)


@pytest.mark.parametrize(
    "somebody", [None, object(), "Ines", type("Ghost", (), {"name": "Ghost", "is_active": False})()]
)
def test_who_is_neither_an_account_nor_a_machine_may_do_nothing(organisation, somebody):
    """An attempt of a person without a sign-in, a slip in a call: it fails closed."""
    for verb in policy.VERBS:
        assert not policy.may(somebody, verb)
        assert not policy.sees_every(somebody, verb)
