"""What is kept of a part is found by its identifier, not by its place in the package."""

from django.db import migrations, models


def name_parts(apps, schema_editor):
    for row in apps.get_model("playing", "ScoState").objects.select_related("attempt__version"):
        data = row.attempt.version.data
        keys = _keys(data["scos"])
        # A place that the version does not have any more keeps a name that no part has.
        row.part = keys[row.sco] if row.sco < len(keys) else f"gone {row.sco}"
        row.standard = data["standard"]
        row.final_seq = max(row.seqs.values(), default=0) if row.is_over else None
        row.save(update_fields=["part", "standard", "final_seq"])


def _keys(scos):
    found = []
    for sco in scos:
        key = str(sco["key"])[:180]
        again = sum(other == key or other.startswith(f"{key} #") for other in found)
        found.append(f"{key} #{again + 1}" if again else key)
    return found


def number_parts(apps, schema_editor):
    for row in apps.get_model("playing", "ScoState").objects.select_related("attempt__version"):
        keys = _keys(row.attempt.version.data["scos"])
        row.sco = keys.index(row.part) if row.part in keys else 1000 + row.pk
        row.is_over = row.final_seq is not None
        row.save(update_fields=["sco", "is_over"])


class Migration(migrations.Migration):
    dependencies = [("playing", "0001_initial"), ("learning", "0001_initial")]

    operations = [
        migrations.AddField("scostate", "part", models.CharField(max_length=200, default="")),
        migrations.AddField("scostate", "standard", models.CharField(max_length=12, blank=True, default="")),
        migrations.AddField("scostate", "mode", models.CharField(max_length=10, default="normal")),
        migrations.AddField("scostate", "previous", models.CharField(max_length=40, blank=True, default="")),
        migrations.AddField("scostate", "folded_seconds", models.FloatField(default=0)),
        migrations.AddField("scostate", "final_seq", models.BigIntegerField(null=True, blank=True)),
        migrations.AddField("scostate", "has_left", models.BooleanField(default=False)),
        migrations.RunPython(name_parts, number_parts),
        migrations.RemoveConstraint("scostate", "one_state_of_a_sco"),
        migrations.RemoveField("scostate", "sco"),
        migrations.RemoveField("scostate", "is_over"),
        migrations.AlterField("scostate", "part", models.CharField(max_length=200)),
        migrations.AlterField("scostate", "standard", models.CharField(max_length=12, blank=True)),
        migrations.AlterField("scostate", "previous", models.CharField(max_length=40, blank=True)),
        migrations.AddConstraint(
            "scostate", models.UniqueConstraint(fields=["attempt", "part"], name="one_state_of_a_part")
        ),
    ]
