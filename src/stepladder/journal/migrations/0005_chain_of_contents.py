"""Chains the entries by digests of their contents, so that the chain can be followed where an entry's words are not shown.

An entry that did not match its old digest keeps it: it does not match the new chain either, and `verify` goes on naming it.
"""

import hashlib
import json
from datetime import UTC

from django.db import migrations

FIRST = "0" * 64
SOME = 2000


def _parts(entry):
    return [
        entry.number,
        entry.at.astimezone(UTC).isoformat(),
        entry.actor_id,
        entry.actor_name,
        entry.verb,
        entry.object_kind,
        entry.object_id,
        entry.object_name,
        json.dumps(entry.data, sort_keys=True, ensure_ascii=False),
        entry.takes_back,
        entry.rows_digest,
        entry.seals_digest,
    ]


def _digest(parts):
    return hashlib.sha256(json.dumps(parts, ensure_ascii=False).encode()).hexdigest()


def chain_anew(apps, schema_editor):
    Entry = apps.get_model("journal", "Entry")
    was, previous, some = FIRST, FIRST, []
    for entry in Entry.objects.order_by("number").iterator(chunk_size=SOME):
        parts = _parts(entry)
        chained = hashlib.sha256(f"{previous} {_digest(parts)}".encode()).hexdigest()
        if (entry.previous, entry.digest) == (previous, chained):
            # Written by this very upgrade, by a migration of another app.
            was = previous = entry.digest
            continue
        if entry.previous != was or entry.digest != _digest([*parts, entry.previous]):
            print(f"  Journal entry {entry.number} ({entry.verb}) does not match the chain: it is carried over as it is.")
            was = previous = entry.digest
            continue
        was = entry.digest
        entry.previous = previous
        previous = entry.digest = chained
        some.append(entry)
        if len(some) == SOME:
            Entry.objects.bulk_update(some, ["previous", "digest"], batch_size=200)
            some = []
    Entry.objects.bulk_update(some, ["previous", "digest"], batch_size=200)


class Migration(migrations.Migration):
    dependencies = [("journal", "0004_chain_anew")]

    operations = [
        migrations.RunPython(chain_anew, migrations.RunPython.noop, elidable=False),
    ]
