"""What waited in the queue under names of before is handed over anew: everybody's reasons, in pieces."""

from django.db import migrations
from django.utils import timezone

BEFORE = [
    "stepladder.assignments.tasks.refresh_all_reasons",
    "stepladder.assignments.tasks.refresh_assignments",
]


def hand_over(apps, schema_editor):
    tasks = apps.get_model("django_tasks_database", "DBTaskResult").objects
    waiting = tasks.filter(task_path__in=BEFORE, status__in=["READY", "RUNNING", "FAILED"])
    # A course of a path may have another day by now: where leave without an end left its stage without one.
    if not waiting.exists() and not apps.get_model("assignments", "PathReason").objects.exists():
        return
    waiting.delete()
    work = apps.get_model("queue", "Work").objects.create(
        kind="reasons of people", at=timezone.now(), actor_name="Upgrade"
    )
    tasks.create(
        task_path="stepladder.queue.actions.cut_work",
        args_kwargs={"args": [], "kwargs": {"work": work.pk}},
        status="READY",
        queue_name="bulk",
        backend_name="default",
        priority=0,
        run_after=timezone.now(),
        exception_class_path="",
        traceback="",
        worker_ids=[],
    )


def keep(apps, schema_editor):
    """Back: what waits is done by nobody, as before it had been handed over."""


class Migration(migrations.Migration):
    dependencies = [
        ("assignments", "0003_paths"),
        ("queue", "0001_work"),
        ("django_tasks_database", "0021_conditional_partial_index_ordering"),
    ]

    operations = [migrations.RunPython(hand_over, keep)]
