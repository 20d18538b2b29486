"""What evidence packs hand in to apps nearer the ground."""

from __future__ import annotations

from django.db.models import Q

from stepladder import daily
from stepladder.accounts import policy
from stepladder.evidence import links, making
from stepladder.evidence.models import Pack
from stepladder.journal import verbs
from stepladder.queue.kinds import describe
from stepladder.records.index_groups import add_index_group
from stepladder.web import margin
from stepladder.web.frame import join_rung

join_rung(7, "evidence")
policy.relation_by_rows(Pack, policy.OWN, lambda account: Q(account=account.pk), "Somebody else asked for this pack.")
daily.add("old packs", making.drop_old)
daily.add("journal digests", making.read_new_entries)
describe(making.make_pack, making.words)
describe(making.read_new_entries, lambda _: "reading new entries of the journal for evidence packs")
describe(making.drop_old, lambda _: "clearing away old evidence packs")
verbs.register(
    ask_pack="asks for the evidence pack {object}: {people} people, {courses} courses, on {day} as known on {known_on}",
    make_pack="made the evidence pack {object}, sealed {seal}, up to entry {head}",
    make_pack_again="has the evidence pack {object} made again",
)
add_index_group(15, links.packs_group)
for view in ("board", "standing", "cell"):
    margin.add_verb(view, 50, links.of_view)
margin.add_verb("record", 50, links.of_person)
