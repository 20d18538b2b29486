from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "stepladder.people"
    label = "people"

    def ready(self) -> None:
        from stepladder.journal import verbs  # inside: apps are ready only now
        from stepladder.people.indexing import index_people
        from stepladder.search import index
        from stepladder.web.frame import add_rung

        add_rung(4, "People", "people:list", verb="see people", namespaces=("people",))
        verbs.register(
            hire="hired as {where} from {day}",
            edit_person="edited",
            move="moved to {where} from {day}",
            end_placement="ended {where} with {day}",
            leave_organisation="leaves with {day}",
            record_leave="on leave from {day} to {until}",
        )
        index.add_source("person", index_people, verb="see people")
