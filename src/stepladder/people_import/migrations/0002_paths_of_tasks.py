from django.db import migrations

from stepladder.queue.moved_tasks import MoveTasks


class Migration(migrations.Migration):
    dependencies = [
        ("people_import", "0001_initial"),
        ("django_tasks_database", "0021_conditional_partial_index_ordering"),
    ]

    operations = [MoveTasks("stepladder.people.tasks", "stepladder.people_import.tasks", ["look_through_import", "apply_import", "return_import"])]
