from django.apps import AppConfig


class SourcesConfig(AppConfig):
    name = "stepladder.sources"
    label = "sources"
