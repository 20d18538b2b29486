from django.apps import AppConfig


class TellingConfig(AppConfig):
    name = "stepladder.telling"
    label = "telling"
