from django.apps import AppConfig


class PlayingConfig(AppConfig):
    name = "stepladder.playing"
    label = "playing"
