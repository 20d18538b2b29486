"""What must be single is held by the database. Of what was recorded twice the newest is kept, and the rest named."""

from datetime import date

from django.db import migrations, models
from django.db.models import Q

# Model, and the columns that name what there may be one of.
SINGLE = [
    ("Placement", ("person_id", "unit_id", "position_id", "from_day")),
    ("Leave", ("person_id", "from_day")),
    ("UnitBranch", ("node_id", "from_day")),
    ("PositionBranch", ("node_id", "from_day")),
]


def mend(apps, schema_editor):
    revoked, names = [], []
    for model, columns in SINGLE:
        seen = {}
        rows = apps.get_model("people", model).objects.filter(revoked_on=None)
        for row in rows.order_by("-recorded_on", "-pk"):
            key = tuple(getattr(row, column) for column in columns)
            if key in seen:
                row.revoked_on = date.today()
                row.save(update_fields=["revoked_on"])
                revoked.append(row)
                names.append(_says(model, row))
            seen[key] = row
    if revoked:
        # Inside: only an installation that has doubles needs the journal as it is at this point of its history.
        from stepladder.journal.actions import Machine, Named, record

        about = Named("organisation", "", "Facts recorded twice")
        record("mend_doubles", by=Machine("Upgrade"), about=about, data={"names": "; ".join(names)}, rows=revoked)
        for name in names:
            print(f"  Recorded twice, and kept once: {name}")


def _says(model, row):
    what = row.person if hasattr(row, "person") else row.node
    name = f"{what.given_name} {what.family_name}" if hasattr(what, "given_name") else what.name
    return f"{model.lower()} of {name} from {row.from_day} to {row.to_day or 'open'}"


def keep(apps, schema_editor):
    """Back: nothing is lost by it."""


class Migration(migrations.Migration):
    dependencies = [("people", "0009_who_is_missing"), ("journal", "0002_taking_back")]

    operations = [
        migrations.RunPython(mend, keep),
        migrations.AddConstraint(
            model_name="placement",
            constraint=models.UniqueConstraint(
                fields=["person", "unit", "position", "from_day"],
                condition=Q(revoked_on__isnull=True, position__isnull=False),
                name="placed_at_a_position_once",
            ),
        ),
        migrations.AddConstraint(
            model_name="placement",
            constraint=models.UniqueConstraint(
                fields=["person", "unit", "from_day"],
                condition=Q(revoked_on__isnull=True, position__isnull=True),
                name="placed_in_a_unit_once",
            ),
        ),
        migrations.AddConstraint(
            model_name="leave",
            constraint=models.UniqueConstraint(
                fields=["person", "from_day"], condition=Q(revoked_on__isnull=True), name="one_leave_from_a_day"
            ),
        ),
        migrations.AddConstraint(
            model_name="unitbranch",
            constraint=models.UniqueConstraint(
                fields=["node", "from_day"], condition=Q(revoked_on__isnull=True), name="one_unitbranch_from_a_day"
            ),
        ),
        migrations.AddConstraint(
            model_name="positionbranch",
            constraint=models.UniqueConstraint(
                fields=["node", "from_day"], condition=Q(revoked_on__isnull=True), name="one_positionbranch_from_a_day"
            ),
        ),
    ]
