"""The queue in tests: what is handed over is done as soon as the act is committed, as the worker would."""

from functools import partial

from django.db import transaction
from django_tasks.backends.immediate import ImmediateBackend


class AtCommit(ImmediateBackend):
    def enqueue(self, task, args, kwargs):
        transaction.on_commit(partial(super().enqueue, task, args, kwargs))
