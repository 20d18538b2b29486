"""What library hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily, events
from stepladder.accounts import policy
from stepladder.journal import sealing, verbs
from stepladder.library import (
    copying,
    derived_room,
    editing,
    grid_views,
    indexing,
    links,
    models,
    own_pictures,
    permissions,
    picture_views,
    sorting,
    taking_out,
    tasks,
    tidying,
)
from stepladder.library.kinds import add_kind, audio, document, link, package, video
from stepladder.queue.kinds import describe
from stepladder.search import index
from stepladder.web import bodies, margin
from stepladder.web.frame import add_landing, add_rung

for kind in (package.KIND, video.KIND, audio.KIND, document.KIND, link.KIND):
    add_kind(kind)
sealing.watch(models.StoredFile, models.ModuleVersion, models.PackageFile)
sealing.watch(models.Module, leaving_out=sealing.OF_SHEETS)
add_rung(2, "Library", "library:home", verb="see modules", namespaces=("library",))
add_landing(20, "library:home", verb="change modules")
permissions.register(policy)
bodies.take_long("library:upload", None)
bodies.take_long("library:bring_table", grid_views.MOST_BYTES + 65_536)
daily.add("uploads", tidying.tidy_uploads)
daily.add("links", tasks.look_at_links)
daily.add("derived", tasks.derive_outdated)
daily.add("taken out", taking_out.drop_old)
daily.add("rest", tidying.empty_rest)
daily.add("room", derived_room.keep_within_quota)
describe(tasks.work_out_upload, tasks.words)
margin.add_panel("module", 3, picture_views.picture_panel)
bodies.take_long("library:keep_picture", own_pictures.MOST_BYTES + 65_536)
bodies.take_long("library:module_picture", own_pictures.MOST_BYTES + 65_536)
margin.add_row_note("module", links.dead_notes)
describe(taking_out.make_taken_out, taking_out.words)
for task in (tasks.look_through_table, tasks.change_by_table, tasks.return_table):
    describe(task, tasks.words_of_table)
verbs.register(
    drop_derived="dropped the pages derived of {count} files, {freed}, to be made anew when they are opened",
    set_access="said who changes and uses it; beside its owner {editors}",
    set_seen_by="said who sees it beside those who use it: {who}",
    set_picture="gave it {how}",
    create_binder="made the binder",
    edit_binder="edited the binder",
    create_module="made it ({kind})",
    add_version="added version {number}",
    discard_version="did not keep version {number}: {because}",
    edit_module="edited",
    edit_modules="edited {what}: {count}",
    give_back="takes the {detail} from its source again",
    set_done_when="version {number} is done when {after}, not when {before}",
    note_version="noted of version {number}: {note}",
    set_captions="gave version {number} captions",
    withdraw_module="withdrew it",
    remove_module="is gone for good, after 30 days of rest",
    take_out="takes version {number} elsewhere as {form}",
    sort_modules="{words}: {count}",
    copy_modules="{words}: {count}",
    make_folder="made the folder “{folder}”",
    rename_folder="named the folder “{before}” “{folder}”",
    move_folder="moved the folder “{folder}” to “{to}”",
    remove_folder="took the folder “{folder}” away",
    release_draft="released it",
    release_module="released it again",
)
sorting.register()
copying.register()
editing.register()
index.add_source("module", indexing.index_modules, verb="see modules", visible=permissions.visible_modules)
events.listen(events.TopicChanged, indexing.on_topic_change, phase=events.Phase.DERIVE)
events.listen(events.ModuleProcessed, indexing.on_change, phase=events.Phase.DERIVE)
