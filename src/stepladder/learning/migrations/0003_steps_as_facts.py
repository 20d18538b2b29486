from django.db import migrations, models



class Migration(migrations.Migration):
    dependencies = [
        ("learning", "0002_completion_once_known"),
    ]

    operations = [
        migrations.AddField("stepdone", "public_id", models.CharField(max_length=20, null=True, editable=False)),
        migrations.AddField("stepdone", "recorded_on", models.DateField(null=True)),
        migrations.AddField("stepdone", "revoked_on", models.DateField(blank=True, null=True)),
    ]
