from django.apps import AppConfig


class EvidenceConfig(AppConfig):
    name = "stepladder.evidence"
    label = "evidence"
