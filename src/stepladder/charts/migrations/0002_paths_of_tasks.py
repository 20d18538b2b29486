from django.db import migrations

OLD, NEW = "stepladder.people.tasks.keep_names_true", "stepladder.charts.tasks.keep_names_true"


def rename(before, after):
    def run(apps, schema_editor):
        # A task that waits in the queue is found by its path.
        apps.get_model("django_tasks_database", "DBTaskResult").objects.filter(task_path=before).update(task_path=after)

    return run


class Migration(migrations.Migration):
    dependencies = [
        ("charts", "0001_initial"),
        ("django_tasks_database", "0021_conditional_partial_index_ordering"),
    ]

    operations = [migrations.RunPython(rename(OLD, NEW), rename(NEW, OLD))]
