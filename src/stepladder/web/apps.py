from django.apps import AppConfig


class WebConfig(AppConfig):
    name = "stepladder.web"
    label = "web"
