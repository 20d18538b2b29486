from django.db import migrations
from django.db.models import F

from stepladder.identity import new_public_ids

PIECE = 2_000


def fill(apps, schema_editor):
    """What was done before counts as recorded on its day: nothing says otherwise."""
    steps = apps.get_model("learning", "StepDone").objects.filter(public_id__isnull=True)
    keys = list(steps.order_by("pk").values_list("pk", flat=True))
    model = steps.model
    for at in range(0, len(keys), PIECE):
        piece = keys[at : at + PIECE]
        rows = [model(pk=key, public_id=public_id) for key, public_id in zip(piece, new_public_ids(len(piece)))]
        model.objects.bulk_update(rows, ["public_id"], batch_size=200)
    model.objects.filter(recorded_on__isnull=True).update(recorded_on=F("day"))


class Migration(migrations.Migration):
    dependencies = [
        ("learning", "0003_steps_as_facts"),
    ]

    # Backwards the columns go by themselves.
    operations = [migrations.RunPython(fill, migrations.RunPython.noop)]
