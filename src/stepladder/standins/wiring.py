"""What standins hands in to apps nearer the ground."""

from __future__ import annotations

from django.conf import settings

from stepladder.standins.meeting import open_room
from stepladder.timetable import live
from stepladder.web.frame import add_foot_page

live.provide(open_room)
if settings.EMAIL_BACKEND == "stepladder.standins.mail.TrayBackend":
    add_foot_page(10, "Mail tray", "standins:tray", verb="open the mail tray")
