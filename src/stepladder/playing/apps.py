from django.apps import AppConfig


class PlayingConfig(AppConfig):
    name = "stepladder.playing"
    label = "playing"

    def ready(self) -> None:
        from stepladder.journal import verbs  # inside: apps are ready only now
        from stepladder.playing.reactions import try_verb
        from stepladder.web import margin

        verbs.register(try_again="tries “{module}” in “{course}” again")
        margin.add_verb("module", 1, try_verb)
