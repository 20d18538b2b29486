from django.db import migrations

from stepladder.journal.moved_models import TakeModels


class Migration(migrations.Migration):
    """The tables were made by the migrations of people, when that was one app with this."""

    dependencies = [
        ("charts", "0001_initial"),
    ]

    operations = [TakeModels("people", ["Group", "GroupRule"])]
