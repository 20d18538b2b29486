"""Chains the entries anew: their digests cover their numbers and what rows they wrote, none included.

An entry that did not match its old digest keeps it: it does not match the new chain either, and `verify` goes on naming it.
"""

import hashlib
import json
from datetime import UTC

from django.db import migrations

FIRST = "0" * 64


def _old(entry):
    parts = [
        entry.at.astimezone(UTC).isoformat(),
        entry.actor_id,
        entry.actor_name,
        entry.verb,
        entry.object_kind,
        entry.object_id,
        entry.object_name,
        json.dumps(entry.data, sort_keys=True, ensure_ascii=False),
        entry.rows_digest,
        entry.previous,
        *([entry.takes_back] if entry.takes_back is not None else []),
    ]
    return hashlib.sha256(json.dumps(parts, ensure_ascii=False).encode()).hexdigest()


def _new(entry, previous):
    parts = [
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
        "",
        previous,
    ]
    return hashlib.sha256(json.dumps(parts, ensure_ascii=False).encode()).hexdigest()


def chain_anew(apps, schema_editor):
    Entry = apps.get_model("journal", "Entry")
    was, previous, some = FIRST, FIRST, []
    for entry in Entry.objects.order_by("number").iterator(chunk_size=2000):
        if entry.previous != was or entry.digest != _old(entry):
            print(f"  Journal entry {entry.number} ({entry.verb}) does not match the chain: it is carried over as it is.")
            was = previous = entry.digest
            continue
        was = entry.digest
        entry.previous, entry.digest = previous, _new(entry, previous)
        previous = entry.digest
        some.append(entry)
        if len(some) == 2000:
            Entry.objects.bulk_update(some, ["previous", "digest"], batch_size=200)
            some = []
    Entry.objects.bulk_update(some, ["previous", "digest"], batch_size=200)


class Migration(migrations.Migration):
    dependencies = [("journal", "0003_seals")]

    operations = [migrations.RunPython(chain_anew, migrations.RunPython.noop, elidable=False)]
