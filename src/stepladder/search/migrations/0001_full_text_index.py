"""The full-text index; a virtual table, so it is written here by hand."""

from django.db import migrations

CREATE = """
CREATE VIRTUAL TABLE search_entry USING fts5(
    kind UNINDEXED, key UNINDEXED, title, body, url UNINDEXED, note UNINDEXED,
    tokenize = "unicode61 remove_diacritics 2", prefix = '2 3'
)
"""


class Migration(migrations.Migration):
    initial = True
    dependencies = []
    operations = [migrations.RunSQL(CREATE, "DROP TABLE search_entry")]
