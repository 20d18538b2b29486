from django.apps import AppConfig


class DeskConfig(AppConfig):
    name = "stepladder.desk"
    label = "desk"
