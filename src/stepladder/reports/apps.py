from django.apps import AppConfig


class ReportsConfig(AppConfig):
    name = "stepladder.reports"
    label = "reports"
