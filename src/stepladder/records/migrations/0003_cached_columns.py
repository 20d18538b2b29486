from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("records", "0002_kept_columns")]

    operations = [
        migrations.RenameModel("KeptColumns", "CachedColumns"),
        migrations.AlterModelOptions("cachedcolumns", {"verbose_name_plural": "cached columns"}),
    ]
