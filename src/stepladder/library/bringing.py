"""Tables of details that are brought in: looked through, carried out in pieces, taken back."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.library.editing import edit_modules
from stepladder.library.errors import LibraryError
from stepladder.library.models import DetailTable, Module, ModuleState
from stepladder.library.tables import Rows, change_of, names_of_columns, read_rows
from stepladder.library.titles import clashing
from stepladder.refusals import Refusal
from stepladder.tabular.reading import FileUnread, read_table
from stepladder.topics.naming import topic_names

__all__ = ["change_piece", "keep_table", "look_through", "path_of", "return_piece", "set_changing", "set_returning"]

MOST_ROWS = 20_000
# So many modules are changed in one act: between two of them others can write.
PIECE = 100


def path_of(table: DetailTable) -> Path:
    """Where the file of a table lies."""
    return Path(settings.MEDIA_ROOT) / table.path


def keep_table(*, file_name: str, body: bytes, by: Account) -> DetailTable:
    """A table that came in, to be looked through. Nothing is changed by it yet."""
    policy.require(by, "change modules")
    table = DetailTable.objects.create(account=by, file_name=file_name[:200], made_at=clock.now())
    path_of(table).parent.mkdir(parents=True, exist_ok=True)
    path_of(table).write_bytes(body)
    return table


def look_through(table: DetailTable) -> None:
    """Work out what a table would change; it reads only, and is begun anew where it was stopped."""
    try:
        read = read_table(path_of(table), table.file_name, names=names_of_columns)
        if len(read.rows) > MOST_ROWS:
            raise FileUnread(f"The table has more than {MOST_ROWS:,} rows. Split it.")
        rows = read_rows(read, topic_names(), keyed_by=("id", "file", "title"), empty_says_nothing=False)
        if not any(meaning in ("id", "file", "title") for _, meaning in rows.columns):
            raise FileUnread("No column says which module a row is about. One is called “Id”, “File” or “Title”.")
    except FileUnread as refusal:
        table.state, table.trouble = DetailTable.State.REFUSED, str(refusal)[:400]
    else:
        _look(table, rows)
        table.state = DetailTable.State.LOOKED
    table.save()


def _look(table: DetailTable, rows: Rows) -> None:
    by_id, by_file, by_title = _modules(table.account)
    names, problems, meant = topic_names(), list(rows.problems), dict[int, int]()
    changes: list[tuple[Module, dict[str, Any]]] = []
    titles: list[tuple[Module, str]] = []
    for row in rows.rows:
        found = by_id.get(row.key) or by_file.get(row.key.casefold()) or by_title.get(row.key.casefold())
        if found is None:
            problems.append((row.number, f"There is no module “{row.key[:80]}” that you can change."))
        elif len(found) > 1:
            problems.append(
                (row.number, f"More than one module is “{row.key[:80]}”. Take the table with its column “Id”.")
            )
        elif found[0].pk in meant:
            problems.append(
                (row.number, f"It is for “{row.key[:80]}”, as row {meant[found[0].pk]} is. Only that one counts.")
            )
        else:
            module = found[0]
            meant[module.pk] = row.number
            others, words = change_of(module, row.values, names)
            if others:
                change: dict[str, Any] = {
                    "module": module.public_id,
                    "title": module.title,
                    "row": row.number,
                    "values": others,
                }
                changes.append((module, change | {"words": words}))
                titles.append((module, str(others.get("title", module.title))))
    taken = {module.pk: title for module, title in clashing(titles)}
    for module, change in changes:
        if module.pk in taken:
            said = f"Title: there is a module “{taken[module.pk]}” in “{module.binder.name}” already."
            problems.append((meant[module.pk], said))
            change["values"].pop("title")
            change["words"] = [line for line in change["words"] if line[0] != "Title"]
    table.columns = [list(column) for column in rows.columns]
    table.changes = [change for _, change in changes if change["values"]]
    table.problems = [list(problem) for problem in sorted(problems)]
    table.total, table.done = len(table.changes), 0


Found = dict[str, list[Module]]


def _modules(account: Account) -> tuple[Found, Found, Found]:
    """What the account can change: by public id, by the name of the newest file, and by title."""
    shown = policy.visible(account, "change modules", Module.objects.exclude(state=ModuleState.DELETED))
    modules = list(shown.select_related("binder").prefetch_related("tags", "topics").order_by("pk"))
    files = dict(shown.order_by("versions__number").values_list("pk", "versions__file_name"))
    by_id, by_file, by_title = Found(), Found(), Found()
    for module in modules:
        by_id[module.public_id] = [module]
        by_title.setdefault(module.title.casefold(), []).append(module)
        if name := files.get(module.pk):
            by_file.setdefault(name.casefold(), []).append(module)
    return by_id, by_file, by_title


def set_changing(*, table: DetailTable, by: Account) -> None:
    """From now on it is carried out. Raises LibraryError."""
    _set(table, by, DetailTable.State.LOOKED, DetailTable.State.CHANGING)


def set_returning(*, table: DetailTable, by: Account) -> None:
    """From now on it is taken back. Raises LibraryError."""
    _set(table, by, DetailTable.State.DONE, DetailTable.State.RETURNING)


@transaction.atomic
def _set(table: DetailTable, by: Account, was: str, becomes: str) -> None:
    policy.require(by, "change modules")
    if table.account_id != by.pk:
        raise LibraryError("Only whoever brought this table in carries it out or takes it back.")
    if not DetailTable.objects.filter(pk=table.pk, state=was).update(state=becomes, done=0, trouble=""):
        raise LibraryError("This table is under way or done by now.")
    table.refresh_from_db()


@transaction.atomic
def change_piece(table: DetailTable) -> bool:
    """Carry the next rows out, in one act; whether any are left. What was changed elsewhere meanwhile is passed over and said."""
    piece = table.changes[table.done : table.done + PIECE]
    found = Module.objects.select_related("binder").prefetch_related("tags", "topics")
    modules = {m.public_id: m for m in found.filter(public_id__in=[one["module"] for one in piece])}
    names, changes = topic_names(), []
    for one in piece:
        module = modules.get(one["module"])
        if module is None or not policy.may(table.account, "change modules", module):
            table.problems.append([one["row"], f"“{one['title']}” is gone by now, or no longer yours to change."])
            continue
        now = {line[0]: line[1] for line in change_of(module, one["values"], names)[1]}
        before = {heading: was for heading, was, _ in one["words"]}
        if any(before[heading] != was for heading, was in now.items()):
            table.problems.append([one["row"], f"“{one['title']}” was changed by somebody since; it was left alone."])
            continue
        changes.append((module, one["values"]))
    for module, title in clashing([(module, values.get("title", module.title)) for module, values in changes]):
        table.problems.append([0, f"There is a “{title}” in “{module.binder.name}” by now."])
        changes = [change for change in changes if change[0].pk != module.pk]
    if changes:
        with undoing.watched() as watched:
            edit_modules(changes=changes, by=table.account)
        if watched.act:
            table.acts.append(watched.act)
    table.done += len(piece)
    if table.done >= table.total:
        table.state = DetailTable.State.DONE
    table.save()
    return table.state == DetailTable.State.CHANGING


@transaction.atomic
def return_piece(table: DetailTable) -> bool:
    """Take the last act of a table back; whether any are left. What cannot be taken back stays, and is said."""
    if table.acts:
        entry = Entry.objects.get(number=table.acts.pop())
        try:
            with transaction.atomic():
                undoing.take_back(entry, by=table.account)
        except Refusal as refusal:
            table.trouble = str(refusal)[:400]
        table.done = min(table.total, table.done + PIECE)
    if not table.acts:
        table.state = DetailTable.State.RETURNED
    table.save()
    return table.state == DetailTable.State.RETURNING
