"""What config hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily
from stepladder.config import (
    queue,  # noqa: F401 - connects the retry of tasks
    tasks,
)
from stepladder.config.database.base import DatabaseWrapper
from stepladder.journal import verbs
from stepladder.journal.actions import forget_recorded, seal_rest
from stepladder.queue.kinds import describe

DatabaseWrapper.at_begin = staticmethod(forget_recorded)
DatabaseWrapper.at_commit = staticmethod(seal_rest)
daily.add("pruning", tasks.prune)
describe(tasks.prune, tasks.words)
verbs.register(load_demo="loaded the demo data", load_completions="loaded {count} completions")
