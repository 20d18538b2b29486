from django.db import migrations

OLD, NEW = "stepladder.library.tasks.tidy_uploads", "stepladder.library.tidying.tidy_uploads"


def rename(before, after):
    def run(apps, schema_editor):
        # A task that waits in the queue is found by its path.
        apps.get_model("django_tasks_database", "DBTaskResult").objects.filter(task_path=before).update(task_path=after)

    return run


class Migration(migrations.Migration):
    dependencies = [
        ("library", "0003_by_the_applications_clock"),
        ("django_tasks_database", "0021_conditional_partial_index_ordering"),
    ]

    operations = [migrations.RunPython(rename(OLD, NEW), rename(NEW, OLD))]
