from django.apps import AppConfig


class TopicsConfig(AppConfig):
    name = "stepladder.topics"
    label = "topics"
