from django.apps import AppConfig


class ConfigConfig(AppConfig):
    name = "stepladder.config"
    label = "config"

    def ready(self) -> None:
        from stepladder.config import queue  # noqa: F401 - connects the retry of tasks
        from stepladder.journal import verbs

        verbs.register(load_demo="loaded the demo data", load_completions="loaded {count} completions")
