from django.apps import AppConfig


class SigningConfig(AppConfig):
    name = "stepladder.signing"
    label = "signing"
