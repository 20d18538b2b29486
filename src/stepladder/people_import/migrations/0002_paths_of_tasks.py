from django.db import migrations

TASKS = ("look_through_import", "apply_import", "return_import")
OLD, NEW = "stepladder.people.tasks", "stepladder.people_import.tasks"


def rename(before, after):
    def run(apps, schema_editor):
        results = apps.get_model("django_tasks_database", "DBTaskResult").objects
        for task in TASKS:
            # A task that waits in the queue is found by its path.
            results.filter(task_path=f"{before}.{task}").update(task_path=f"{after}.{task}")

    return run


class Migration(migrations.Migration):
    dependencies = [
        ("people_import", "0001_initial"),
        ("django_tasks_database", "0021_conditional_partial_index_ordering"),
    ]

    operations = [migrations.RunPython(rename(OLD, NEW), rename(NEW, OLD))]
