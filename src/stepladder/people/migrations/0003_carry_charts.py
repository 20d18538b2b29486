"""Where each node hung becomes a branch that was there from the beginning."""

from datetime import date

from django.db import migrations

BEGINNING = date(1900, 1, 1)


def carry(apps, schema_editor):
    units, positions = apps.get_model("people", "Unit"), apps.get_model("people", "Position")
    rows = []
    for node in units.objects.order_by("pk"):
        rows.append(_branch(apps, "UnitBranch", node, site_id=node.site_id))
    for node in positions.objects.order_by("pk"):
        rows.append(_branch(apps, "PositionBranch", node))
    if rows:
        # Inside: only an installation that has charts already needs the journal of its own time.
        from stepladder.journal.actions import Machine, Named, record

        record("carry_charts", by=Machine("Upgrade"), about=Named("organisation", "", "Charts"), rows=rows)


def _branch(apps, kind, node, **more):
    return apps.get_model("people", kind).objects.create(
        node_id=node.pk,
        parent_id=node.parent_id,
        name=node.name,
        from_day=BEGINNING,
        recorded_on=BEGINNING,
        **more,
    )


def drop(apps, schema_editor):
    """Back: the branches of today are where nodes hang; what changed on other days is lost."""
    today = date.today()
    for kind, branch in (("Unit", "UnitBranch"), ("Position", "PositionBranch")):
        for row in apps.get_model("people", branch).objects.filter(revoked_on=None, from_day__lte=today):
            if row.to_day is None or row.to_day >= today:
                changes = {"parent_id": row.parent_id}
                if kind == "Unit":
                    changes["site_id"] = row.site_id
                apps.get_model("people", kind).objects.filter(pk=row.node_id).update(**changes)


class Migration(migrations.Migration):
    dependencies = [("people", "0002_charts_leads_groups"), ("journal", "0001_initial")]

    operations = [migrations.RunPython(carry, drop)]
