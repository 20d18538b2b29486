"""A look at a source: what came, went and changed since the last one becomes modules, versions and sentences. Rule: 18."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path, PurePosixPath
from tempfile import TemporaryDirectory

from django.db import transaction

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.core.sources import Known, Looked, compare
from stepladder.journal.actions import Machine
from stepladder.library import fetching, storage
from stepladder.library.errors import LibraryError
from stepladder.library.folders import folder_at
from stepladder.library.links import create_link, prepare_link
from stepladder.library.models import Folder, ModuleState, Upload
from stepladder.library.sorting import move_modules
from stepladder.library.tasks import work_out_upload
from stepladder.library.uploads import check_room
from stepladder.queue.actions import later
from stepladder.sources.beside import read_sheet, tie_sheet
from stepladder.sources.errors import SourceTrouble
from stepladder.sources.keeping import apply_details
from stepladder.sources.lists import Links, read_links
from stepladder.sources.models import Source, SourceItem
from stepladder.sources.walking import FileThere, Walk, digest_of, digests_of, place_of, walk
from stepladder.topics.naming import topic_names

__all__ = ["look", "settle"]

BY = Machine("Sources")
# So many files are taken over in one look: the next one follows at once.
MOST_AT_ONCE = 100
# Of links fewer: each may be asked, and a server that does not answer takes its time.
MOST_LINKS_AT_ONCE = 20
MOST_PROBLEMS = 200


def look(source: Source) -> bool:
    """Look at a source; whether there is more to take over, so that it is looked at again at once."""
    at = clock.now()
    try:
        more, problems = _look_at_links(source, at) if source.kind == Source.Kind.LINKS else _look_at_files(source, at)
    except SourceTrouble as refusal:
        _end(source, at, str(refusal), source.problems)
        return False
    _end(source, at, "", problems)
    return more


def _end(source: Source, at: datetime, trouble: str, problems: list[str]) -> None:
    Source.objects.filter(pk=source.pk).update(
        looked_at=at,
        asked_at=None,
        trouble=trouble[:400],
        problems=problems[:MOST_PROBLEMS],
        sheet_seen=source.sheet_seen,
    )


def _look_at_files(source: Source, at: datetime) -> tuple[bool, list[str]]:
    root = place_of(source.place)
    if not root.is_dir():
        raise SourceTrouble(f"“{source.place}” is no folder. A list of links is a source of its own kind.")
    found = walk(root)
    sheet = found.files.pop(source.sheet, None) if source.sheet else None
    items = list(source.items.select_related("module__binder", "upload"))
    read = read_sheet(source, root, sheet, items, found)
    # Pictures of other files are no modules themselves.
    for path in read.pictures:
        found.files.pop(path, None)
    present = {item.path: item for item in items if not item.is_missing}
    if present and not found.files and not found.closed:
        raise SourceTrouble("There is nothing in it any more. Is the share mounted? Nothing is taken for missing.")
    known = {path: (item.size, item.modified, item.digest) for path, item in present.items()}
    # What was not taken over yet is not read again and again: a folder of thousands is taken in as many looks.
    digests = digests_of(root, found, known, most=MOST_AT_ONCE)
    by_path = {item.path: item for item in items if item.is_missing} | present
    states = {path: Known(one.digest, one.gone_since, one.is_missing) for path, one in by_path.items()}
    unread = {path for path in states if found.is_unread(path)}
    looked = compare(states, digests, at, unread=unread)
    _keep_places(source, looked, by_path, found, at)
    more = _take_over(source, root, looked, by_path, found, digests)
    problems = found.problems + read.problems + tie_sheet(source, root, read)
    settle(source)
    return more, problems


def _keep_places(source: Source, looked: Looked, by_path: dict[str, SourceItem], found: Walk, at: datetime) -> None:
    """What moved, went or is back is written down; a module goes where its file went."""
    with transaction.atomic():
        SourceItem.objects.filter(pk__in=[by_path[path].pk for path in looked.gone]).update(gone_since=at)
        gone = [by_path[path].pk for path in (*looked.missing, *looked.displaced)]
        SourceItem.objects.filter(pk__in=gone).update(is_missing=True, gone_since=at)
        SourceItem.objects.filter(pk__in=[by_path[path].pk for path in looked.back]).update(
            is_missing=False, gone_since=None
        )
        moving = [(by_path[old], new) for old, new in looked.moved]
        # Out of the way first: two files may have changed places.
        SourceItem.objects.filter(pk__in=[item.pk for item, _ in moving]).update(is_missing=True)
        for item, new in moving:
            there, was = found.files[new], item.path
            item.path, item.size, item.modified = new, there.size, there.modified
            item.is_missing, item.gone_since = False, None
            item.save(update_fields=["path", "size", "modified", "is_missing", "gone_since"])
            _go_along(source, item, was)
    for item, new in moving:
        by_path[new] = item


def _go_along(source: Source, item: SourceItem, was: str) -> None:
    """The module lies in the folder of its file, unless somebody has put it elsewhere."""
    before, after = PurePosixPath(was).parent, PurePosixPath(item.path).parent
    module = item.module
    if module is None or before == after or module.binder_id != source.binder_id or module.state == ModuleState.DELETED:
        return
    names = []
    folder: Folder | None = module.folder
    while folder is not None:
        names.append(folder.name)
        folder = folder.parent
    if names[::-1] == list(before.parts):
        target = folder_at(binder=source.binder, parent=None, names=list(after.parts), by=BY)
        move_modules(modules=[module], to=source.binder, folder=target, by=BY)


def _take_over(
    source: Source,
    root: Path,
    looked: Looked,
    by_path: Mapping[str, SourceItem],
    found: Walk,
    digests: Mapping[str, str],
) -> bool:
    """New and changed files begin to be worked out, so many at a time; whether more are left."""
    wanted = [(path, None) for path in looked.new] + [(path, by_path[path]) for path in looked.changed]
    for path, item in wanted[:MOST_AT_ONCE]:
        _take_file(source, root / path, path, item, found.files[path], digests[path])
    return found.is_left or len(wanted) > MOST_AT_ONCE


def _take_file(source: Source, file: Path, path: str, item: SourceItem | None, there: FileThere, digest: str) -> None:
    kept = item or SourceItem(source=source, path=path)
    kept.digest, kept.size, kept.modified = digest, there.size, there.modified
    kept.changed_at, kept.is_new, kept.trouble = clock.now(), item is None, ""
    kept.gone_since, kept.is_missing = None, False
    try:
        check_room(binder=source.binder, size=there.size, by=source.account)
    except LibraryError as refusal:
        kept.trouble = str(refusal)[:400]
        kept.save()
        return
    with _copied(file, there, digest) as copy:
        if copy is None:
            # It changed while it was copied: the next look takes it as it is then.
            return
        with transaction.atomic():
            parts = PurePosixPath(path).parts[:-1]
            folder = folder_at(binder=source.binder, parent=None, names=list(parts), by=BY)
            module = kept.module if kept.module and kept.module.state != ModuleState.DELETED else None
            kept.upload = Upload.objects.create(
                account=source.account,
                binder=source.binder,
                folder=folder,
                replaces=module,
                file_name=PurePosixPath(path).name,
                size=there.size,
                received=there.size,
                state=Upload.State.WAITING,
                # The source says what became of it.
                is_dismissed=True,
            )
            kept.save()
            shutil.move(copy, storage.incoming(kept.upload))
            later(work_out_upload, upload_id=kept.upload.pk)


@contextmanager
def _copied(file: Path, there: FileThere, digest: str) -> Iterator[Path | None]:
    """A copy that is certain to have the content of the digest; None where the file is another by now."""
    folder = storage.workplace()
    try:
        copy = folder / "file"
        yield copy if digest_of(file, there, copy) == digest else None
    finally:
        storage.drop_workplace(folder)


def settle(source: Source) -> None:
    """What was worked out meanwhile is tied to its file, or says why it could not be; details are taken over."""
    items = source.items.select_related("source", "module__binder", "upload__module").prefetch_related(
        "module__tags", "module__topics", "source__topics"
    )
    done = []
    for item in items.exclude(upload=None):
        upload = item.upload
        assert upload is not None
        if upload.state == Upload.State.REFUSED:
            item.upload, item.trouble = None, upload.message[:400]
        elif upload.state == Upload.State.DONE and upload.module is not None:
            module = upload.module
            if item.module_id is None:
                item.said = {"title": module.title}
                item.said |= {"description": module.description} if module.description else {}
                item.said |= {"minutes": module.minutes} if module.minutes else {}
            item.module, item.upload, item.trouble = module, None, ""
            done.append(item)
        else:
            continue
        item.save(update_fields=["upload", "trouble", "module", "said"])
    if done:
        apply_details(done, by=BY)


def _look_at_links(source: Source, at: datetime) -> tuple[bool, list[str]]:
    links = _links_of(source)
    items = list(source.items.select_related("source", "module__binder"))
    by_path = {item.path: item for item in items}
    states = {path: Known(one.digest, one.gone_since, one.is_missing) for path, one in by_path.items()}
    found = {url: hashlib.sha256(url.encode()).hexdigest() for url in links.found}
    looked = compare(states, found, at)
    _keep_places(source, looked, by_path, Walk(), at)
    for url in looked.new[:MOST_LINKS_AT_ONCE]:
        said = links.found[url].said
        worked = prepare_link(url=url, title=str(said.get("title", "")), minutes=int(said.get("minutes", 0)))
        with transaction.atomic():
            version = create_link(binder=source.binder, worked=worked, by=BY)
            SourceItem.objects.create(
                source=source,
                path=url,
                digest=found[url],
                module=version.module,
                changed_at=at,
                beside=said,
                said={"title": version.module.title},
            )
    changed = []
    for item in source.items.filter(is_missing=False).select_related("source", "module__binder"):
        if item.path in links.found and (item.beside != links.found[item.path].said or item.changed_at == at):
            item.beside = links.found[item.path].said
            changed.append(item)
    SourceItem.objects.bulk_update(changed, ["beside"], batch_size=200)
    apply_details(changed, by=BY)
    return len(looked.new) > MOST_LINKS_AT_ONCE, links.problems


def _links_of(source: Source) -> Links:
    names = topic_names()
    if not source.place.startswith(("http://", "https://")):
        path = place_of(source.place)
        if not path.is_file():
            raise SourceTrouble(f"“{source.place}” is no file. A list of links is a table, an outline or a feed.")
        return read_links(path, path.name, names)
    if not organisation().fetches_links:
        raise SourceTrouble("The settings of the organisation do not let this server ask the web.")
    try:
        fetched = fetching.fetch(source.place)
    except LibraryError as refusal:
        raise SourceTrouble(str(refusal)) from None
    with TemporaryDirectory() as folder:
        path = Path(folder) / "list"
        path.write_bytes(fetched.body)
        return read_links(path, source.place, names)
