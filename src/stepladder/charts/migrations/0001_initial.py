from django.db import migrations

from stepladder.journal.moved_models import TakeModels


class Migration(migrations.Migration):
    """The tables were made by the migrations of people, when that was one app with this."""

    dependencies = [
        ("people", "0012_outside_id"),
    ]

    operations = [TakeModels("people", ["Chart", "Site", "Unit", "Position", "UnitBranch", "PositionBranch", "AdministeredPart"])]
