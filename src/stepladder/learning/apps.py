from django.apps import AppConfig


class LearningConfig(AppConfig):
    name = "stepladder.learning"
    label = "learning"
