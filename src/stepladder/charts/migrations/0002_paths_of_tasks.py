from django.db import migrations

from stepladder.queue.moved_tasks import MoveTasks


class Migration(migrations.Migration):
    dependencies = [
        ("charts", "0001_initial"),
        ("django_tasks_database", "0021_conditional_partial_index_ordering"),
    ]

    operations = [MoveTasks("stepladder.people.tasks", "stepladder.charts.tasks", ["keep_names_true"])]
