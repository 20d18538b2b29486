from django.apps import AppConfig


class NoticesConfig(AppConfig):
    name = "stepladder.notices"
    label = "notices"

    def ready(self) -> None:
        from stepladder.journal import verbs  # inside: apps are ready only now

        verbs.register(send_again="sent {count} notices again")
