"""Of several launches before the current one what arrives late is taken, not only of the one just before."""

from django.db import migrations, models


def list_before(apps, schema_editor):
    for row in apps.get_model("playing", "ScoState").objects.exclude(previous=""):
        row.before = [[row.previous, row.folded_seconds]]
        row.save(update_fields=["before"])


def name_previous(apps, schema_editor):
    for row in apps.get_model("playing", "ScoState").objects.all():
        row.previous, row.folded_seconds = row.before[0] if row.before else ("", 0)
        row.save(update_fields=["previous", "folded_seconds"])


class Migration(migrations.Migration):
    dependencies = [("playing", "0002_parts_by_identifier")]

    operations = [
        migrations.AddField("scostate", "before", models.JSONField(blank=True, default=list)),
        migrations.RunPython(list_before, name_previous),
        # With a default for the way back.
        migrations.AlterField("scostate", "previous", models.CharField(max_length=40, blank=True, default="")),
        migrations.RemoveField("scostate", "previous"),
        migrations.RemoveField("scostate", "folded_seconds"),
    ]
