from django.apps import AppConfig


class WebConfig(AppConfig):
    name = "stepladder.web"
    label = "web"

    def ready(self) -> None:
        from stepladder.web import checks  # noqa: F401 - registers the system checks
