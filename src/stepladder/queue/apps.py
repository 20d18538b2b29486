from django.apps import AppConfig


class QueueConfig(AppConfig):
    name = "stepladder.queue"
    label = "queue"
    verbose_name = "Queue"
