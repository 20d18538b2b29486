from django.apps import AppConfig


class PeopleImportConfig(AppConfig):
    name = "stepladder.people_import"
    label = "people_import"
