from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class ConfigConfig(AppConfig):
    name = "stepladder.config"
    label = "config"

    def ready(self) -> None:
        """Every app's `wiring.py`, in the order of INSTALLED_APPS: what it hands in to apps nearer the ground."""
        autodiscover_modules("wiring")
