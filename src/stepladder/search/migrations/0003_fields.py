"""The index by fields, as the ranking asks for them (rule 14), and the words that stand in it.

What apps put into it before is carried over; the words inside modules come with the next time that each is indexed.
"""

from django.db import migrations

CREATE = """
CREATE VIRTUAL TABLE search_document USING fts5(
    kind UNINDEXED, key UNINDEXED, shown UNINDEXED, title, tags, description, text, url UNINDEXED, note UNINDEXED,
    tokenize = "unicode61 remove_diacritics 2", prefix = '2 3'
)
"""
CARRY = """
INSERT INTO search_document (rowid, kind, key, shown, title, tags, description, text, url, note)
SELECT rowid, kind, key, title, title, '', body, '', url, note FROM search_entry
"""
BACK = """
INSERT INTO search_entry (rowid, kind, key, title, body, url, note)
SELECT rowid, kind, key, shown, tags || ' ' || description || ' ' || text, url, note FROM search_document
"""
OLD = """
CREATE VIRTUAL TABLE search_entry USING fts5(
    kind UNINDEXED, key UNINDEXED, title, body, url UNINDEXED, note UNINDEXED,
    tokenize = "unicode61 remove_diacritics 2", prefix = '2 3'
)
"""


class Migration(migrations.Migration):
    dependencies = [("search", "0002_rows_by_number")]

    operations = [
        migrations.RunSQL(CREATE, "DROP TABLE search_document"),
        migrations.RunSQL(CARRY, BACK),
        migrations.RunSQL("DROP TABLE search_entry", OLD),
        migrations.RunSQL(
            "CREATE VIRTUAL TABLE search_word USING fts5vocab(search_document, 'row')", "DROP TABLE search_word"
        ),
    ]
