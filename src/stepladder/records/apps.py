from django.apps import AppConfig


class RecordsConfig(AppConfig):
    name = "stepladder.records"
    label = "records"
