from django.apps import AppConfig


class TimetableConfig(AppConfig):
    name = "stepladder.timetable"
    label = "timetable"

    def ready(self) -> None:
        from stepladder.journal import verbs  # inside: apps are ready only now
        from stepladder.timetable import undoing

        verbs.register(
            add_room="has {seats} seats",
            plan_session="planned for {when}",
            set_capacity="has {after} seats instead of {before}",
            book_seat="{state} in “{session}”",
        )
        undoing.hand_in()
