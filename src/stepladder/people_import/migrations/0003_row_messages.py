from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("people_import", "0002_paths_of_tasks")]

    operations = [migrations.RenameField("importrow", "says", "messages")]
