"""What notices hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.journal import sealing, verbs
from stepladder.notices import models
from stepladder.notices.tasks import NotAllSent
from stepladder.queue.kinds import shown_elsewhere

sealing.watch(models.Notice, leaving_out=("trouble",))
verbs.register(send_again="sent {count} notices again")
# Each stands with what the mail server said under “Notices that could not be sent”.
shown_elsewhere(NotAllSent)
