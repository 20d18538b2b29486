from django.apps import AppConfig


class DeskConfig(AppConfig):
    name = "stepladder.desk"
    label = "desk"

    def ready(self) -> None:
        from stepladder.desk.reactions import try_verb  # inside: apps are ready only now
        from stepladder.web import margin
        from stepladder.web.frame import add_landing, add_own_page, add_rung

        add_rung(1, "Desk", "desk:desk", verb="open the desk", namespaces=("desk",))
        add_own_page(10, "Up next", "desk:up_next")
        add_landing(40, "desk:up_next", verb="learn")
        margin.add_verb("course", 1, try_verb)
        add_landing(10, "desk:desk", verb="open the desk")
