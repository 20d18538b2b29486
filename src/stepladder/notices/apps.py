from django.apps import AppConfig


class NoticesConfig(AppConfig):
    name = "stepladder.notices"
    label = "notices"
