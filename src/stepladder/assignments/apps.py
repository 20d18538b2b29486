from django.apps import AppConfig


class AssignmentsConfig(AppConfig):
    name = "stepladder.assignments"
    label = "assignments"
