from django.apps import AppConfig


class ConfigConfig(AppConfig):
    name = "stepladder.config"
    label = "config"

    def ready(self) -> None:
        from stepladder import daily
        from stepladder.config import (
            queue,  # noqa: F401 - connects the retry of tasks
            tasks,
        )
        from stepladder.journal import verbs
        from stepladder.queue.kinds import describe

        daily.add("pruning", tasks.prune)
        describe(tasks.prune, tasks.words)
        verbs.register(load_demo="loaded the demo data", load_completions="loaded {count} completions")
