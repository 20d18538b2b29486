"""What signing hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.core.leads import Power
from stepladder.journal import sealing, verbs
from stepladder.leads.powers import act_on
from stepladder.library.kinds import add_kind
from stepladder.library.own_pictures import MOST_BYTES
from stepladder.notices.kinds import add_notice_kind
from stepladder.playing.players import add_player
from stepladder.signing import models, notices, shown, signers, undoing
from stepladder.signing.kind import KIND
from stepladder.signing.player import TaskPlayer
from stepladder.web import bodies, margin

add_kind(KIND)
add_player(KIND.name, TaskPlayer())
add_notice_kind(notices.ASKED)
add_notice_kind(notices.SIGNED)
# As steps done are: digested as they are written, for what follows from them is written with them.
sealing.watch(models.SignOff)
verbs.register(
    name_signers="is signed off by {names}",
    ask_for_sign_off="asked {of} to sign off “{module}”",
    ask_no_more="asked no more to have “{module}” signed off",
    sign_off_task="showed “{module}” on {day}: {outcome}",
)
signers.register()
act_on(Power.SIGN_OFF)
undoing.register()
margin.add_section("person", 35, shown.signed_section)
margin.add_section("record", 35, shown.signed_section)
bodies.take_long("signing:sign", MOST_BYTES + 65_536)
bodies.take_long("signing:send", MOST_BYTES + 65_536)
