from django.apps import AppConfig


class LeadsConfig(AppConfig):
    name = "stepladder.leads"
    label = "leads"
