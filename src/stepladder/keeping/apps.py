from django.apps import AppConfig


class KeepingConfig(AppConfig):
    name = "stepladder.keeping"
    label = "keeping"
