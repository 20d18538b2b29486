from django.apps import AppConfig


class LibraryConfig(AppConfig):
    name = "stepladder.library"
    label = "library"
