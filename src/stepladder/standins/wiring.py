"""What standins hands in to apps nearer the ground."""

from __future__ import annotations

from django.conf import settings

from stepladder.keeping import parts
from stepladder.standins.meeting import open_room
from stepladder.standins.models import TrayMail
from stepladder.timetable import live
from stepladder.web.frame import add_foot_page

live.provide(open_room)
parts.add_part(parts.MESSAGES, parts.Gone(lambda person: TrayMail.objects.filter(to__icontains=person.email or "\0")))
if settings.EMAIL_BACKEND == "stepladder.standins.mail.TrayBackend":
    add_foot_page(10, "Mail tray", "standins:tray", verb="open the mail tray")
