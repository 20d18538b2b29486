from django.db import migrations

from stepladder.queue.moved_tasks import MoveTasks


class Migration(migrations.Migration):
    dependencies = [
        ("library", "0003_by_the_applications_clock"),
        ("django_tasks_database", "0021_conditional_partial_index_ordering"),
    ]

    operations = [MoveTasks("stepladder.library.tasks", "stepladder.library.tidying", ["tidy_uploads"])]
