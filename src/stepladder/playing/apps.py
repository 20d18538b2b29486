from django.apps import AppConfig


class PlayingConfig(AppConfig):
    name = "stepladder.playing"
    label = "playing"

    def ready(self) -> None:
        from stepladder.playing.reactions import try_verb  # inside: apps are ready only now
        from stepladder.web import margin

        margin.add_verb("module", 1, try_verb)
