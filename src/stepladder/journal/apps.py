from django.apps import AppConfig


class JournalConfig(AppConfig):
    name = "stepladder.journal"
    label = "journal"
    verbose_name = "Journal"

    def ready(self) -> None:
        from stepladder.journal import verbs  # inside: apps are ready only now

        verbs.register(take_back="taken back: {what}")
