from django.apps import AppConfig


class CatalogueConfig(AppConfig):
    name = "stepladder.catalogue"
    label = "catalogue"
