from django.apps import AppConfig


class StandinsConfig(AppConfig):
    name = "stepladder.standins"
    label = "standins"

    def ready(self) -> None:
        from django.conf import settings  # inside: apps are ready only now

        from stepladder.standins.meeting import open_room
        from stepladder.timetable import live
        from stepladder.web.frame import add_foot_page

        live.provide(open_room)
        if settings.EMAIL_BACKEND == "stepladder.standins.mail.TrayBackend":
            add_foot_page(10, "Mail tray", "standins:tray", verb="open the mail tray")
