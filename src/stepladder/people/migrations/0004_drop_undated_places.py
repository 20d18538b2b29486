from django.db import migrations


class Migration(migrations.Migration):
    """Where a node hangs is what its branches say."""

    dependencies = [("people", "0003_carry_charts")]

    operations = [
        migrations.RemoveField(
            model_name='position',
            name='parent',
        ),
        migrations.RemoveField(
            model_name='unit',
            name='parent',
        ),
        migrations.RemoveField(
            model_name='unit',
            name='site',
        ),
    ]
