from django.apps import AppConfig


class OutsideConfig(AppConfig):
    name = "stepladder.outside"
    label = "outside"
