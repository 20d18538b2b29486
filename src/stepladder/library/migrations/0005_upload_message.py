from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("library", "0004_task_that_moved")]

    operations = [migrations.RenameField("upload", "says", "message")]
