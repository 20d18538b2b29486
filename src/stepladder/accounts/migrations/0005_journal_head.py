from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("accounts", "0004_locked_and_left"),
        # Later migrations of other apps record acts, by the journal as it is now: accounts come first, so it is ready by then.
        ("journal", "0004_chain_anew"),
    ]

    operations = [
        migrations.AddField(
            model_name="account",
            name="wants_journal_head",
            field=models.BooleanField(default=False),
        ),
    ]
