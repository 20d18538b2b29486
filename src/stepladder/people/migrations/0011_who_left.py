"""Whose sign-in is shut because they left, and who was locked by hand besides (the journal knows)."""

from datetime import date

from django.db import migrations


def say(apps, schema_editor):
    Account, Entry = apps.get_model("accounts", "Account"), apps.get_model("journal", "Entry")
    left = apps.get_model("people", "Employment").objects.filter(revoked_on=None, left_on__lt=date.today())
    for account in Account.objects.filter(is_active=False, person__in=left.values("person")):
        by_hand = Entry.objects.filter(verb__in=["lock_account", "unlock_account"], object_id=account.public_id)
        newest = by_hand.order_by("-number").first()
        account.has_left = True
        account.is_locked = newest is not None and newest.verb == "lock_account"
        account.save(update_fields=["has_left", "is_locked"])


class Migration(migrations.Migration):
    dependencies = [
        ("people", "0010_one_at_a_time"),
        ("accounts", "0004_locked_and_left"),
        ("journal", "0002_taking_back"),
    ]

    operations = [migrations.RunPython(say, migrations.RunPython.noop)]
