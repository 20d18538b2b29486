from django.apps.registry import Apps
from django.db import migrations, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor
from django.db.models import OuterRef, Subquery


def keep_titles(apps: Apps, schema_editor: BaseDatabaseSchemaEditor) -> None:
    """What was released before has the titles of today: what its modules were called then is not known."""
    step, module = apps.get_model("courses", "Step"), apps.get_model("library", "Module")
    title = module.objects.filter(pk=OuterRef("module_id")).values("title")[:1]
    step.objects.exclude(edition__state="draft").update(released_title=Subquery(title))


class Migration(migrations.Migration):
    dependencies = [("courses", "0003_path_edition_numbers")]

    operations = [
        migrations.AddField(
            model_name="edition",
            name="outcome",
            field=models.CharField(blank=True, max_length=300),
        ),
        migrations.AddField(
            model_name="step",
            name="released_title",
            field=models.CharField(blank=True, max_length=200),
        ),
        migrations.RunPython(keep_titles, migrations.RunPython.noop),
    ]
