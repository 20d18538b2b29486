from django.apps import AppConfig


class MessagingConfig(AppConfig):
    name = "stepladder.messaging"
    label = "messaging"
