from django.apps import AppConfig


class ReachesConfig(AppConfig):
    name = "stepladder.reaches"
    label = "reaches"
