"""Rows of facts: their digests, and many of them written at once."""

import hashlib
import json

import pytest
from django.db import transaction

from stepladder.facts import insert_facts, row_digest
from stepladder.identity import new_public_ids, seeded
from stepladder.people.models import Employment, FieldValue
from tests import factories as f


def test_a_digest_is_of_the_row_as_json_whatever_stands_in_it(organisation):
    jun = f.a_person("Jun Pellam")
    text = 'A “quote" \\ a tab\t, a line\n, ø, 船 and \x1f'
    row = FieldValue(pk=7, person=jun, field_id=3, value=text, public_id="x", recorded_on=f.d("2026-05-14"))
    said = {
        "id": 7,
        "public_id": "x",
        "recorded_on": "2026-05-14",
        "revoked_on": None,
        "person_id": jun.pk,
        "field_id": 3,
        "value": text,
    }
    written = json.dumps(said, sort_keys=True, ensure_ascii=False)
    assert row_digest(row) == hashlib.sha256(written.encode()).hexdigest()


def test_many_facts_written_at_once_are_as_if_written_one_by_one(organisation, on):
    on("2026-05-14")
    ada, bea = f.a_person("Ada Venn"), f.a_person("Bea Marsh")
    Employment.objects.known_now().update(revoked_on="2026-05-14")
    with transaction.atomic():
        written = insert_facts(
            Employment,
            [{"person_id": p.pk, "hired_on": f.d("2020-01-02"), "left_on": None} for p in (ada, bea)],
        )
    for (table, key, digest), person in zip(written, (ada, bea), strict=True):
        row = Employment.objects.get(pk=key)
        assert (table, row.person, row.recorded_on) == ("people_employment", person, f.d("2026-05-14"))
        assert digest == row_digest(row)
    # The next one by one has the next key.
    later = Employment.objects.create(
        person=f.a_person("Cal Dahl", hired="2021-01-01"), hired_on=f.d("2021-01-01"), revoked_on=f.d("2026-05-14")
    )
    assert later.pk > max(key for _, key, _ in written)


@pytest.mark.django_db(transaction=True)
def test_many_facts_are_written_within_a_transaction_only(organisation):
    with pytest.raises(RuntimeError, match="within a transaction"):
        insert_facts(Employment, [{"person_id": 1, "hired_on": f.d("2020-01-02"), "left_on": None}])


def test_public_ids_are_all_other_and_use_every_sign_alike():
    drawn = new_public_ids(20_000)
    assert len(set(drawn)) == 20_000
    assert {len(one) for one in drawn} == {14}
    counts = [text.count(sign) for text in ["".join(drawn)] for sign in "23456789abcdefghjkmnpqrstuvwxyz"]
    assert sum(counts) == 280_000
    # About 9,032 of each; seven standard deviations around it.
    assert all(8_370 < count < 9_700 for count in counts)
    with seeded(3):
        first = new_public_ids(2)
    with seeded(3):
        assert new_public_ids(2) == first
