"""What playing hands in to apps nearer the ground."""

from __future__ import annotations

from django.db.models import Q

from stepladder.accounts import policy
from stepladder.accounts.switches import add_switch
from stepladder.core.packages.scorm import SCORM_12, SCORM_2004
from stepladder.journal import verbs
from stepladder.library.opening import take_opener
from stepladder.playing import linked, media, notes
from stepladder.playing.models import Note
from stepladder.playing.package_trouble import trouble_panel
from stepladder.playing.players import add_player
from stepladder.playing.players.document import DocumentPlayer
from stepladder.playing.players.link import LinkPlayer
from stepladder.playing.players.media import FilmPlayer
from stepladder.playing.players.package import PackagePlayer
from stepladder.playing.reactions import try_address, try_verb
from stepladder.playing.standards import Standard, add_standard
from stepladder.search import index
from stepladder.web import margin

add_switch(media.DOWNLOADS)
add_player("package", PackagePlayer())
add_player("video", FilmPlayer("watched"))
add_player("audio", FilmPlayer("heard"))
add_player("document", DocumentPlayer())
add_player("link", LinkPlayer())
add_standard(Standard("scorm12", SCORM_12, "web/vendor/scorm12.min.js"))
add_standard(Standard("scorm2004", SCORM_2004, "web/vendor/scorm2004.min.js"))
verbs.register(
    confirm_said="confirmed that “{module}” is done",
    confirm_many="confirmed what {count} said that they had done",
    try_again="tries “{module}” in “{course}” again",
)
linked.register()
margin.add_verb("module", 1, try_verb)
margin.add_panel("module", 15, trouble_panel)
take_opener(try_address)
policy.relation(
    Note,
    "own",
    holds=lambda account, note: note.account_id == account.pk,
    rows=lambda account: Q(account=account),
    refusal="This is another person’s note.",
)
index.add_source("note", notes.documents, verb="learn", visible=notes.visible_notes)
