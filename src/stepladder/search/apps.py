from django.apps import AppConfig


class SearchConfig(AppConfig):
    name = "stepladder.search"
    label = "search"
