from django.apps import AppConfig


class PlanningConfig(AppConfig):
    name = "stepladder.planning"
    label = "planning"
