"""Locked by hand, and shut because the person left, are two things. Until people say who left, whoever is shut is locked."""

from django.db import migrations, models
from django.db.models import Q


def lock(apps, schema_editor):
    apps.get_model("accounts", "Account").objects.filter(is_active=False).update(is_locked=True)


class Migration(migrations.Migration):
    dependencies = [("accounts", "0003_sign_in_links")]

    operations = [
        migrations.AddField("account", "is_locked", models.BooleanField(default=False)),
        migrations.AddField("account", "has_left", models.BooleanField(default=False)),
        migrations.RunPython(lock, migrations.RunPython.noop),
        migrations.AddConstraint(
            "account",
            models.CheckConstraint(
                condition=Q(is_active=True, is_locked=False, has_left=False)
                | (Q(is_active=False) & (Q(is_locked=True) | Q(has_left=True))),
                name="active_unless_locked_or_left",
            ),
        ),
    ]
