from django.apps import AppConfig


class DeskConfig(AppConfig):
    name = "stepladder.desk"
    label = "desk"

    def ready(self) -> None:
        from stepladder.web.frame import add_landing, add_rung  # inside: apps are ready only now

        add_rung(1, "Desk", "desk:desk", verb="open the desk", namespaces=("desk",))
        add_landing(10, "desk:desk", verb="open the desk")
