from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "stepladder.accounts"
    label = "accounts"
