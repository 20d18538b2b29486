from django.apps import AppConfig


class ChartsConfig(AppConfig):
    name = "stepladder.charts"
    label = "charts"
