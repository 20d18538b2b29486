from django.apps import AppConfig


class WritingConfig(AppConfig):
    name = "stepladder.writing"
    label = "writing"
