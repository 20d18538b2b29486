from django.apps import AppConfig


class StandinsConfig(AppConfig):
    name = "stepladder.standins"
    label = "standins"
