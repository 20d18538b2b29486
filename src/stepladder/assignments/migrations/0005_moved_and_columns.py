from django.db import migrations

from stepladder.journal.moved_models import TakeModels


class Migration(migrations.Migration):
    """The tables were made by the migrations of records, which read the columns."""

    dependencies = [("assignments", "0004_hand_over_anew"), ("records", "0003_cached_columns")]

    operations = [TakeModels("records", ["Moved", "CachedColumns"])]
