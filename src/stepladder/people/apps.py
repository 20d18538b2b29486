from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "stepladder.people"
    label = "people"
