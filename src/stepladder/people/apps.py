from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "stepladder.people"
    label = "people"

    def ready(self) -> None:
        from stepladder import events  # inside: apps are ready only now
        from stepladder.journal import verbs
        from stepladder.people import reactions
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
            add_node="added to {chart}",
            rename_node="renamed, from “{before}” to “{after}”",
            record_leave="on leave from {day} to {until}",
        )
        events.listen(events.InstallationSetUp, reactions.on_set_up)
        index.add_source("person", index_people, verb="see people")
