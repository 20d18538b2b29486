"""Documents stand where their kind and key say, so that one is replaced without reading the whole index."""

from zlib import crc32

from django.db import migrations


def renumber(apps, schema_editor):
    with schema_editor.connection.cursor() as cursor:
        cursor.execute("SELECT kind, key, title, body, url, note FROM search_entry")
        rows = cursor.fetchall()
        cursor.execute("DELETE FROM search_entry")
        cursor.executemany(
            "INSERT INTO search_entry (rowid, kind, key, title, body, url, note) VALUES (%s, %s, %s, %s, %s, %s, %s)",
            [((crc32(row[0].encode()) & 0x7FFFFF) << 40 | int(row[1]), *row) for row in rows],
        )


class Migration(migrations.Migration):
    dependencies = [("search", "0001_full_text_index")]

    operations = [migrations.RunPython(renumber, migrations.RunPython.noop)]
