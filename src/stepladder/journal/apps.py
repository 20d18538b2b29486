from django.apps import AppConfig


class JournalConfig(AppConfig):
    name = "stepladder.journal"
    label = "journal"
    verbose_name = "Journal"
