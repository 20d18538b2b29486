"""What notices hands in to apps nearer the ground."""

from __future__ import annotations

from datetime import timedelta

from stepladder.journal import sealing, verbs
from stepladder.notices import models
from stepladder.notices.tasks import NotAllSent, send_notices
from stepladder.queue.kinds import shown_elsewhere, tried_again_after
from stepladder.web.frame import add_foot_page

sealing.watch(models.Notice, leaving_out=("trouble",))
verbs.register(send_again="sent {count} notices again", set_wording="changed the words of “{kind}”")
add_foot_page(26, "How it is told", "notices:wordings", verb="send notices")
# Each stands with what the mail server said under “Notices that could not be sent”.
shown_elsewhere(NotAllSent)
# A mail server that is gone is seldom back within seconds: it is asked again after a minute, ten, and an hour.
tried_again_after(send_notices, [timedelta(minutes=1), timedelta(minutes=10), timedelta(hours=1)])
